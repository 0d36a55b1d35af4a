/** What customers order of their sellers. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import { compare, formatMoney } from '../shared/decimal';

export type Order = Schemas['OrderBody'];

/** What an organisation ordered, the latest first; for its members, and those of its direct seller. */
export const ordersOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['orders', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/orders', { params: { path: { organisation } } }),
      ).items,
  });

/** Up to which amount a month a seller's customers order without approval. */
export const orderPoliciesOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['order policies', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/order-policies', {
          params: { path: { organisation } },
        }),
      ).items,
  });

export async function placeOrder(
  organisation: string,
  wanted: Partial<Schemas['OrderCreate']>,
): Promise<Order> {
  return body(
    await api.POST('/api/v1/organisations/{organisation}/orders', {
      params: { path: { organisation } },
      body: wanted as Schemas['OrderCreate'],
    }),
  );
}

/** What an order adds a month; nothing is said where it adds nothing. */
export function addsWords({ amount, currency }: Order): string {
  const sign = compare(amount, '0');
  if (sign === 0) return '';
  const shown = `${formatMoney(amount.replace('-', ''), currency)} ${currency} a month`;
  return sign > 0 ? shown : `${shown} less`;
}

/** Who is to approve an order, as its own people read it. */
export const approverOf = (order: Order): string =>
  order.waits_for === 'own' ? 'another administrator' : order.seller_name;

/** What became otherwise since it was ordered. */
export const changedWords = ({ changed }: Order): string =>
  `Since it was ordered its ${changed.join(' and its ')} changed: look at the plan before you approve.`;

/** What became of an order that was just placed. */
export function becameOf(order: Order): string {
  return order.state === 'waiting'
    ? `It waits for ${approverOf(order)} to approve ${addsWords(order) || 'it'}.`
    : `Done: ${order.what}.`;
}
