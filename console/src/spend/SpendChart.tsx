/** Spend over time: bars of days or months, stacked by what one chose, the largest in colours and the rest in grey. */
import { useColorScheme } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { servicesOptions } from '../catalogue/catalogue';
import { times } from '../shared/dates';
import { compare, formatMoney, sum } from '../shared/decimal';
import { FEES, REST, colours } from '../shared/palette';
import StackedBars, { short } from '../shared/StackedBars';
import type { Outlook } from './outlook';
import type { SpendCurrency } from './spending';

export default function SpendChart({
  found,
  from,
  to,
  by,
  label,
  today,
  ahead,
}: {
  found: SpendCurrency;
  from: string;
  to: string;
  by: 'day' | 'month';
  label: string;
  /** The day that is not over, which is marked. */
  today?: string;
  ahead?: Outlook | null;
}) {
  const { mode, systemMode } = useColorScheme();
  const tone = (mode === 'system' ? systemMode : mode) === 'dark' ? 'dark' : 'light';
  const order = times(from, to, by);
  const stacks = stacked(found, order);
  const said = (amount: string) => `${formatMoney(amount, found.currency)} ${found.currency}`;
  const keys = stacks.flatMap((stack) => (stack.key ? [stack.key] : []));
  // Each service has the colour of its place among all, on every page; what else is drawn has one by size.
  const services = useQuery(servicesOptions);
  const ranks = new Map((services.data ?? []).map((each, index) => [each.slug, index]));
  const own = colours(tone, keys, ranks);
  const colour = (key: string | null) => (key === null ? REST[tone] : (own.get(key) ?? FEES[tone]));
  const series = stacks.map((stack) => ({
    id: stack.key ?? 'rest',
    label: stack.name,
    color: colour(stack.key),
    amounts: stack.amounts,
    format: said,
  }));
  const expected = stacks.flatMap((stack) => {
    const rest = ahead?.rest.get(stack.key ?? 'rest');
    if (!rest?.size) return [];
    return [
      {
        id: `${stack.key ?? 'rest'} ahead`,
        color: `color-mix(in srgb, ${colour(stack.key)} 32%, transparent)`,
        amounts: order.map((day) => rest.get(day) ?? '0'),
        format: (amount: string) => `${said(amount)} expected: ${stack.name}`,
      },
    ];
  });
  return (
    <StackedBars
      label={label}
      times={order}
      by={by}
      series={[...series, ...expected]}
      today={today}
      tick={short}
      summary={(index) => said(sum(stacks.map((each) => each.amounts[index] ?? '0')))}
    />
  );
}

interface Stack {
  key: string | null;
  name: string;
  amounts: string[];
}

/** A stack for each value, the largest first and the rest last, with an amount for each time. */
export function stacked(found: SpendCurrency, order: readonly string[]): Stack[] {
  const stacks = new Map<string | null, Stack>();
  for (const row of found.rows) {
    const [value, time] = row.keys;
    if (!value) continue;
    const stack = stacks.get(value.id) ?? { key: value.id, name: value.name, amounts: order.map(() => '0') };
    const index = order.indexOf(time?.id ?? '');
    if (index >= 0) stack.amounts[index] = row.amount;
    stacks.set(value.id, stack);
  }
  const drawn = [...stacks.values()].filter((each) => each.amounts.some((amount) => compare(amount, '0')));
  return drawn.sort((left, right) =>
    (left.key === null) === (right.key === null)
      ? compare(sum(right.amounts), sum(left.amounts))
      : left.key === null
        ? 1
        : -1,
  );
}
