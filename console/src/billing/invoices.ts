/** Bill runs, invoices and what explains them. */
import { infiniteQueryOptions, keepPreviousData, queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type Line = Schemas['LineBody'];
export type Invoice = Schemas['InvoiceBody'];
export type Charge = Schemas['ChargeBody'];
type Known<T> = { [K in keyof T as string extends K ? never : K]: Exclude<T[K], null> };
/** The arithmetic of a charge, all numbers as text; what does not concern its kind is not there. */
export type Explanation = Known<Schemas['Explanation']>;

export interface InvoiceFilter {
  state?: string;
  period?: string;
  buyer?: string;
  seller?: string;
  organisation?: string;
  search?: string;
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

/** Documents, page by page, with the sums of all of them on each page. */
export const invoicesOptions = (filter: InvoiceFilter) =>
  infiniteQueryOptions({
    queryKey: ['invoices', filter],
    queryFn: async ({ pageParam }) =>
      body(
        await api.GET('/api/v1/invoices', { params: { query: { ...filter, limit: 200, after: pageParam } } }),
      ),
    initialPageParam: null as string | null,
    getNextPageParam: (page: Schemas['InvoicesBody']) => page.next,
    placeholderData: keepPreviousData,
  });

/** The first few documents with a text in their number or in the parties' names. */
export const foundInvoicesOptions = (search: string, limit: number) =>
  queryOptions({
    queryKey: ['invoices', 'found', search, limit],
    queryFn: async () =>
      body(await api.GET('/api/v1/invoices', { params: { query: { search, limit } } })).items,
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
