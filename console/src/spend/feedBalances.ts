/** What became of all that came in by feeds, and their months' sign-offs. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import { againWhileWaiting } from '../shared/current';
import { dayName } from '../shared/dates';

export type FeedBalance = Schemas['FeedBalanceBody'];
export type FeedMeter = Schemas['FeedMeterBody'];
export type FeedCost = Schemas['FeedCostBody'];
export type Quantity = (typeof QUANTITIES)[number];

/** In the order in which they stand; what is nowhere has no column. */
export const QUANTITIES = [
  'measured',
  'charged',
  'covered',
  'watched',
  'together',
  'own_use',
  'elsewhere',
  'gave_way',
  'nobodys',
  'twice',
  'no_rate',
  'no_subscription',
  'difference',
] as const;

export const WORDS: Record<Quantity, string> = {
  measured: 'Came in',
  charged: 'Charged',
  covered: 'Covered',
  watched: 'Only watched',
  together: 'Composites',
  own_use: 'Own use',
  elsewhere: 'Not sold here',
  gave_way: 'Gave way',
  nobodys: 'Nobody’s',
  twice: 'Measured twice',
  no_rate: 'No rate',
  no_subscription: 'No subscription',
  difference: 'Not accounted for',
};

/** What somebody looks at where there is any. */
export const LOOKED_AT: readonly Quantity[] = [
  'nobodys',
  'twice',
  'no_rate',
  'no_subscription',
  'difference',
];

export const feedBalancesOptions = (organisation: string, period: string) =>
  queryOptions({
    queryKey: ['feed balances', organisation, period],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/feed-balances', {
          params: { path: { organisation }, query: { period } },
        }),
      ),
    refetchInterval: againWhileWaiting,
  });

/** What of a month is not priced to customers. */
export const notPricedOptions = (organisation: string, period: string) =>
  queryOptions({
    queryKey: ['not priced', organisation, period],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/not-priced', {
          params: { path: { organisation }, query: { period } },
        }),
      ),
    refetchInterval: againWhileWaiting,
  });

export const isNothing = (text: string | null): boolean => text === null || Number(text) === 0;

/** The columns of some meters: what came in and is charged always, the others where there is any. */
export const columnsOf = (meters: FeedMeter[]): Quantity[] =>
  QUANTITIES.filter(
    (name) => name === 'measured' || name === 'charged' || meters.some((each) => !isNothing(each[name])),
  );

/** Whether anything came in by a feed, or was said of it. */
export const cameIn = (item: FeedBalance): boolean =>
  item.meters.length + item.costs.length + item.refused > 0 || item.sign_off !== null;

/** How far a feed's month is. */
export function stateWords(item: FeedBalance, over: boolean): string {
  const signed = item.sign_off;
  if (!signed) {
    if (!over) return 'The month is not over';
    return item.open.length ? 'Open sums, not signed off' : 'All accounted for, not signed off';
  }
  const said = `Signed off by ${signed.by} on ${dayName(signed.at.slice(0, 10))}`;
  return signed.is_open ? `${said} with open sums: ${signed.reason ?? ''}` : said;
}
