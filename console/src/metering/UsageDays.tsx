/** Usage of one meter day by day. */
import { Box, useColorScheme } from '@mui/material';
import { Suspense, lazy } from 'react';
import { useSignedIn } from '../access/session';
import { nextMonth, times } from '../shared/dates';
import { formatQuantity, inOneUnit } from '../shared/decimal';
import { SERIES } from '../shared/palette';
import { formatUnit } from '../shared/units';
import type { Usage } from './metering';

const StackedBars = lazy(() => import('../shared/StackedBars'));

export function UsageDays({ label, items, period }: { label: string; items: Usage[]; period: string }) {
  const { session } = useSignedIn();
  const { mode, systemMode } = useColorScheme();
  const tone = (mode === 'system' ? systemMode : mode) === 'dark' ? 'dark' : 'light';
  // A day without usage has its place, so that a gap is seen, and the first days of a month look like days.
  const days = times(`${period}-01`, nextMonth(period), 'day');
  const found = new Map(items.map((each) => [each.keys.day, each.quantity]));
  const base = items[0]?.unit ?? '';
  const { values, unit } = inOneUnit(
    days.map((day) => found.get(day) ?? '0'),
    base,
  );
  const said = (amount: string) => `${formatQuantity(amount, 2)} ${formatUnit(unit, amount)}`;
  return (
    <>
      <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>{formatUnit(unit, '2')}</Box>
      <Suspense fallback={<Box sx={{ height: 200 }} />}>
        <StackedBars
          label={label}
          times={days}
          by="day"
          height={200}
          today={session.now.slice(0, 10)}
          series={[{ id: 'usage', color: SERIES[tone][0], amounts: values, format: said }]}
          tick={(amount) => formatQuantity(String(amount), 2)}
          summary={(index) => said(values[index] ?? '0')}
        />
      </Suspense>
    </>
  );
}
