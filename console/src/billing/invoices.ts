/** Bill runs, invoices and what explains them. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type Line = Schemas['LineBody'];
export type Invoice = Schemas['InvoiceBody'];
export type BillRun = Schemas['BillRunBody'];
export type Charge = Schemas['ChargeBody'];
type Known<T> = { [K in keyof T as string extends K ? never : K]: Exclude<T[K], null> };
/** The arithmetic of a charge, all numbers as text; what does not concern its kind is not there. */
export type Explanation = Known<Schemas['Explanation']>;

export interface InvoiceFilter {
  state?: string;
  period?: string;
  buyer?: string;
  seller?: string;
}

export const differencesOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['rating differences', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/rating-differences', {
          params: { path: { organisation } },
        }),
      ).items,
  });

export const invoicesOptions = (filter: InvoiceFilter) =>
  queryOptions({
    queryKey: ['invoices', filter],
    queryFn: async () => {
      const items: Invoice[] = [];
      let after: string | null = null;
      do {
        const page: Schemas['Page_InvoiceBody_'] = body(
          await api.GET('/api/v1/invoices', { params: { query: { ...filter, limit: 500, after } } }),
        );
        items.push(...page.items);
        after = page.next;
      } while (after);
      return items;
    },
  });

export const invoiceOptions = (id: string) =>
  queryOptions({
    queryKey: ['invoice', id],
    queryFn: async () =>
      body(await api.GET('/api/v1/invoices/{invoice_id}', { params: { path: { invoice_id: id } } })),
  });

export const billRunsOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['bill runs', organisation],
    queryFn: async () =>
      body(await api.GET('/api/v1/bill-runs', { params: { query: { organisation } } })).items,
    refetchInterval: (query) =>
      query.state.data?.some((run) => run.state === 'waiting' || run.state === 'running') ? 500 : false,
  });

export const chargeOptions = (id: string) =>
  queryOptions({
    queryKey: ['charge', id],
    queryFn: async () =>
      body(await api.GET('/api/v1/charges/{charge_id}', { params: { path: { charge_id: id } } })),
  });

export const readingsOptions = (id: string, limit: number) =>
  queryOptions({
    queryKey: ['charge readings', id, limit],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/charges/{charge_id}/readings', {
          params: { path: { charge_id: id }, query: { limit } },
        }),
      ),
  });

/** What a document is called. */
export const documentName = (invoice: Invoice): string =>
  invoice.number ?? (invoice.kind === 'credit_note' ? 'Draft credit note' : 'Draft');
