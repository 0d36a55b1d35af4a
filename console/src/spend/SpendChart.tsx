/** Spend over time: bars of days or months, stacked by what one chose, the largest in colours and the rest in grey. */
import { Box, useColorScheme } from '@mui/material';
import { BarChart } from '@mui/x-charts/BarChart';
import { dayName, periodName } from '../shared/dates';
import { compare, formatMoney, sum } from '../shared/decimal';
import { REST, SERIES } from '../shared/palette';
import { type SpendCurrency, times } from './spending';

export default function SpendChart({
  found,
  from,
  to,
  by,
  label,
}: {
  found: SpendCurrency;
  from: string;
  to: string;
  by: 'day' | 'month';
  label: string;
}) {
  const { mode, systemMode } = useColorScheme();
  const tone = (mode === 'system' ? systemMode : mode) === 'dark' ? 'dark' : 'light';
  const order = times(from, to, by);
  const stacks = stacked(found, order);
  const said = (amount: string) => `${formatMoney(amount, found.currency)} ${found.currency}`;
  return (
    <Box component="figure" sx={{ m: 0, maxWidth: 1100 }} aria-label={label}>
      <BarChart
        height={260}
        skipAnimation
        margin={{ left: 0, right: 8, top: 8, bottom: 0 }}
        borderRadius={0}
        xAxis={[
          {
            data: order,
            scaleType: 'band',
            valueFormatter: (time: string) => (by === 'day' ? dayName(time) : periodName(time)),
            categoryGapRatio: 0.25,
            height: 24,
          },
        ]}
        yAxis={[
          {
            valueFormatter: (amount: number) => short(amount),
            width: 52,
            disableLine: true,
            disableTicks: true,
          },
        ]}
        series={stacks.map((stack, index) => ({
          id: stack.key ?? 'rest',
          label: stack.name,
          stack: 'all',
          color: stack.key === null ? REST[tone] : SERIES[tone][index % SERIES[tone].length],
          // A drawn length is not a figure: what is read is the text.
          data: stack.amounts.map(Number),
          valueFormatter: (_: number | null, { dataIndex }: { dataIndex: number }) =>
            compare(stack.amounts[dataIndex] ?? '0', '0') ? said(stack.amounts[dataIndex] ?? '0') : null,
        }))}
        grid={{ horizontal: true }}
        slotProps={{
          legend: { direction: 'horizontal', position: { vertical: 'top', horizontal: 'start' } },
        }}
      />
      <Box
        component="figcaption"
        sx={{ position: 'absolute', width: 1, height: 1, overflow: 'hidden', clip: 'rect(0 0 0 0)' }}
      >
        {order
          .map((time, index) => `${time} ${said(sum(stacks.map((each) => each.amounts[index] ?? '0')))}`)
          .join('; ')}
      </Box>
    </Box>
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

function short(amount: number): string {
  if (Math.abs(amount) >= 1e6) return `${amount / 1e6} M`;
  return Math.abs(amount) >= 1e3 ? `${amount / 1e3} k` : String(amount);
}
