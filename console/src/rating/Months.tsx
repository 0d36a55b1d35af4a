/** The months of an estimate, those alike shown once. */
import { Box, Typography } from '@mui/material';
import { useCardName } from '../catalogue/names';
import { DataTable } from '../shared/DataTable';
import { periodName } from '../shared/dates';
import { formatMoney, formatQuantity } from '../shared/decimal';
import { formatUnit } from '../shared/units';
import type { Estimate } from './estimates';

type Month = Estimate['months'][number];

function alike(estimate: Estimate): { from: string; to: string; month: Month }[] {
  const found: { from: string; to: string; month: Month }[] = [];
  for (const month of estimate.months) {
    const before = found.at(-1);
    if (before && JSON.stringify(before.month.lines) === JSON.stringify(month.lines))
      before.to = month.period;
    else found.push({ from: month.period, to: month.period, month });
  }
  return found;
}

export function Months({ estimate }: { estimate: Estimate }) {
  const money = (amount: string) => formatMoney(amount, estimate.currency);
  const named = useCardName(estimate.seller);
  return (
    <Box sx={{ display: 'grid', gap: 2 }}>
      {estimate.renews_on && (
        <Typography variant="body2">
          Renews on {estimate.renews_on}; from then on by{' '}
          {estimate.renewal_card ? named(estimate.renewal_card) : 'the same card'}.
        </Typography>
      )}
      {alike(estimate).map(({ from, to, month }) => (
        <Box key={from}>
          <Typography variant="h3" sx={{ mb: 0.5 }}>
            {from === to ? periodName(from) : `${periodName(from)} to ${periodName(to)}, each`}
          </Typography>
          <DataTable
            name={`estimate-${from}`}
            label={`Lines of ${from}`}
            rows={month.lines.map((line, index) => ({ ...line, key: String(index) }))}
            rowKey={(line) => line.key}
            columns={[
              { key: 'what', title: 'What', cell: (line) => line.description },
              {
                key: 'quantity',
                title: 'Quantity',
                number: true,
                cell: (line) => formatQuantity(line.quantity),
              },
              { key: 'unit', title: 'Unit', cell: (line) => formatUnit(line.unit, line.quantity) },
              {
                key: 'amount',
                title: estimate.currency,
                number: true,
                cell: (line) => money(line.amount),
                total: money(month.total),
              },
            ]}
          />
        </Box>
      ))}
      <Typography variant="body2" sx={{ color: 'text.secondary' }}>
        {money(estimate.total)} {estimate.currency} over the term, by the rate card{' '}
        {named(estimate.rate_card)}.
      </Typography>
    </Box>
  );
}
