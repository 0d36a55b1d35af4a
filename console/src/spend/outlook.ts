/** Where a month is heading: the last days go on as they were. Simple, and marked as such wherever it is shown. */
import { addDays, times } from '../shared/dates';
import { compare, divide, subtract, sum } from '../shared/decimal';
import type { SpendCurrency } from './spending';

/** So many whole days are taken as those that follow. */
const LIKE = 7;
/** What is charged whatever is used is known ahead, and is not repeated. */
const FIXED = new Set<string | null>(['', 'one-off', 'shared-cost', 'promised']);

export interface Outlook {
  /** What is expected of a day that is not over, above what it has, by service and day. */
  rest: Map<string, Map<string, string>>;
  /** What the month comes to then. */
  total: string;
}

/**
 * What a month comes to when each service goes on at the mean of its last whole days.
 *
 * @param found sums by service and day.
 * @param today the business day, which is not over.
 * @param end the day after the last one.
 */
export function outlook(found: SpendCurrency, today: string, first: string, end: string): Outlook | null {
  const likely = times(addDays(today, -LIKE), today, 'day').filter((day) => day >= first);
  if (!likely.length || today >= end) return null;
  const days = new Map<string | null, Map<string, string>>();
  for (const row of found.rows) {
    const [service, day] = row.keys;
    if (!service || day?.id == null || FIXED.has(service.id)) continue;
    const of = days.get(service.id) ?? new Map<string, string>();
    of.set(day.id, row.amount);
    days.set(service.id, of);
  }
  const rest = new Map<string, Map<string, string>>();
  for (const [service, amounts] of days) {
    const mean = divide(sum(likely.map((day) => amounts.get(day) ?? '0')), String(likely.length));
    const ahead = new Map<string, string>();
    for (const day of times(today, end, 'day')) {
      const left = subtract(mean, amounts.get(day) ?? '0');
      if (compare(left, '0') > 0) ahead.set(day, left);
    }
    rest.set(service ?? 'rest', ahead);
  }
  const more = sum([...rest.values()].flatMap((each) => [...each.values()]));
  return { rest, total: sum([found.total.amount, more]) };
}
