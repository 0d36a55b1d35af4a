/** The largest, and what moved against the days before. */
import { Box, Button } from '@mui/material';
import { useState } from 'react';
import { Bar } from '../shared/Bar';
import { type Column, DataTable, byText } from '../shared/DataTable';
import { daysBefore } from '../shared/dates';
import { compare, formatCount, formatMoney, formatPercent, share, subtract } from '../shared/decimal';
import type { Spend, SpendCurrency, SpendRow } from './spending';

const SHOWN = 8;

export function Movers({ found, shown, title }: { found: Spend; shown: SpendCurrency; title: string }) {
  const [all, setAll] = useState(false);
  const { currency, rows, total } = shown;
  const money = (amount: string) => formatMoney(amount, currency);
  const most = rows[0]?.amount ?? '0';
  const name = (row: SpendRow) => {
    const key = row.keys[0];
    return key?.id == null ? `The rest, ${formatCount(row.others)} more` : key.name;
  };
  const moved = (row: SpendRow) =>
    row.before === null || row.compared === null ? null : subtract(row.compared, row.before);
  const columns: Column<SpendRow>[] = [
    { key: 'name', title, cell: name, order: byText(name), total: 'In all' },
    {
      key: 'bar',
      title: '',
      width: '20%',
      cell: (row) => <Bar value={share(row.amount, most)} label={`${name(row)}: ${money(row.amount)}`} />,
    },
    {
      key: 'amount',
      title: currency,
      number: true,
      cell: (row) => money(row.amount),
      order: (left, right) => compare(left.amount, right.amount),
      total: money(total.amount),
    },
    {
      key: 'moved',
      title: `Against ${daysBefore(found.before_from, found.before_to)}`,
      number: true,
      cell: (row) => <Change amount={moved(row)} percent={row.change_percent} currency={currency} />,
      order: (left, right) => compare(moved(left) ?? '0', moved(right) ?? '0'),
      total: <Change amount={moved(total)} percent={total.change_percent} currency={currency} />,
    },
  ];
  return (
    <>
      <DataTable
        name="movers"
        label={title}
        columns={columns}
        rows={all ? rows : rows.slice(0, SHOWN)}
        rowKey={(row) => row.keys[0]?.id ?? 'the rest'}
      />
      {!all && rows.length > SHOWN && (
        <Button sx={{ mt: 1 }} onClick={() => setAll(true)}>
          Show all {formatCount(rows.length)}
        </Button>
      )}
    </>
  );
}

function Change({
  amount,
  percent,
  currency,
}: {
  amount: string | null;
  percent: string | null;
  currency: string;
}) {
  if (amount === null)
    return (
      <Box component="span" sx={{ color: 'text.secondary' }}>
        new
      </Box>
    );
  const way = compare(amount, '0');
  if (way === 0)
    return (
      <Box component="span" sx={{ color: 'text.secondary' }}>
        as before
      </Box>
    );
  const sign = way > 0 ? '+' : '';
  return (
    <>
      {sign}
      {formatMoney(amount, currency)}
      {percent !== null && (
        <Box component="span" sx={{ color: 'text.secondary', ml: 1 }}>
          {sign}
          {formatPercent(percent)}
        </Box>
      )}
    </>
  );
}
