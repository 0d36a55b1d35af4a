/** The period so far. */
import type { Line } from '../billing/invoices';
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import { againWhileWaiting } from '../shared/current';
import { compare, sum } from '../shared/decimal';

export type LinkPeriod = Schemas['LinkPeriodBody'];

export const periodSoFarOptions = (organisation: string, period?: string) =>
  queryOptions({
    queryKey: ['period so far', organisation, period ?? 'now'],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/period-so-far', {
          params: { path: { organisation }, query: period ? { period } : {} },
        }),
      ),
    staleTime: 30_000,
    refetchInterval: againWhileWaiting,
  });

/** The service of a line for people; fees stand together. */
export const serviceName = (line: Line): string =>
  line.unit === 'month' ? 'Fees' : (line.description.split(':')[0] ?? line.service);

/** Sums of lines under a key, the largest first. */
export function sumsBy(
  lines: readonly Line[],
  key: (line: Line) => string,
): { key: string; amount: string }[] {
  const found = new Map<string, string[]>();
  for (const line of lines) found.set(key(line), [...(found.get(key(line)) ?? []), line.amount]);
  return [...found]
    .map(([name, amounts]) => ({ key: name, amount: sum(amounts) }))
    .sort((left, right) => compare(right.amount, left.amount));
}

/** The days of several links added up. */
export function addDays(links: readonly LinkPeriod[]): { day: string; value: string }[] {
  const found = new Map<string, string[]>();
  for (const link of links)
    for (const each of link.days) found.set(each.day, [...(found.get(each.day) ?? []), each.amount]);
  return [...found]
    .map(([day, amounts]) => ({ day, value: sum(amounts) }))
    .sort((a, b) => (a.day < b.day ? -1 : 1));
}
