/** What suppliers' cost files state, and what of it is whose. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import { formatMoney } from '../shared/decimal';

export type ImportedCost = Schemas['ImportedCostBody'];
export type CostDelivery = Schemas['CostDeliveryBody'];

export const costMeterOptions = (feed: string) =>
  queryOptions({
    queryKey: ['cost meter', feed],
    queryFn: async () => body(await api.GET('/api/v1/feeds/cost-meter', { params: { query: { feed } } })),
  });

export const importedCostsOptions = (organisation: string, period: string) =>
  queryOptions({
    queryKey: ['imported costs', organisation, period],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/imported-costs', {
          params: { path: { organisation }, query: { period } },
        }),
      ).items,
  });

/** The meters that add up a currency, as choices. */
export const costMeters = (services: Schemas['PublishedServiceBody'][]) =>
  services.flatMap(({ form }) =>
    Object.entries(form.meters ?? {})
      .filter(([, meter]) => meter.unit.startsWith('micro-'))
      .map(([slug, meter]) => [`${form.service}/${slug}`, `${form.name}: ${meter.name}`] as const),
  );

/** What became of a cost file, in a sentence. */
export function deliveryWords(sent: CostDelivery): string {
  if (sent.again) return `${sent.file} was here already; nothing changed`;
  const billed = sent.totals
    .map((each) => `${formatMoney(each.billed, each.currency)} ${each.currency}`)
    .join(' and ');
  const replaced = sent.replaced ? `, ${sent.replaced} of them in the place of what was stated before` : '';
  const estimated = sent.estimated ? `, ${sent.estimated} of them estimated until now` : '';
  const older = sent.older ? `; ${sent.older} stand in a later file` : '';
  return `${sent.file}: ${sent.rows} rows, ${billed || 'nothing'} billed, of ${sent.days} days${replaced}${estimated}${older}`;
}
