/** The lines of a document by project and service, with their sums; what comes to nothing is folded away. */
import { Box, Button } from '@mui/material';
import { useState } from 'react';
import type { Schemas } from '../shared/api';
import { type Column, DataTable, byText } from '../shared/DataTable';
import { dayThatBegins, servicePeriod } from '../shared/dates';
import { averageOf, compare, formatCount, formatMoney, formatQuantity, sum } from '../shared/decimal';
import { formatUnit } from '../shared/units';
import { Explanation } from './Explanation';
import type { Invoice } from './invoices';

type Line = Schemas['InvoiceLineBody'];
interface Row {
  key: string;
  line: Line;
}

export function Lines(props: { invoice: Invoice; open: string | null; onOpen: (key: string) => void }) {
  const { invoice, open, onOpen } = props;
  const rows = invoice.lines.map((line, index) => ({ line, key: String(index + 1) }));
  const groups = new Map<string, Row[]>();
  for (const row of rows) {
    const key = `${row.line.organisation}/${row.line.project ?? ''}`;
    groups.set(key, [...(groups.get(key) ?? []), row]);
  }
  const usual = usualPeriod(rows);
  return (
    <>
      {usual && (
        <Box sx={{ fontSize: '0.84rem', color: 'text.secondary', mb: 1.5 }}>
          All of {usual}, unless said beside a line.
        </Box>
      )}
      {[...groups].map(([owner, own]) => (
        <Owner
          key={owner}
          invoice={invoice}
          owner={owner}
          rows={own}
          usual={usual}
          open={open}
          onOpen={onOpen}
        />
      ))}
    </>
  );
}

/** The service period of most lines, where there is one. */
function usualPeriod(rows: readonly Row[]): string | null {
  const counts = new Map<string, number>();
  for (const { line } of rows) {
    const period = servicePeriod(line.service_start, line.service_end);
    counts.set(period, (counts.get(period) ?? 0) + 1);
  }
  const [most] = [...counts].sort((left, right) => right[1] - left[1]);
  return most && most[1] * 2 > rows.length ? most[0] : null;
}

function Owner(props: {
  invoice: Invoice;
  owner: string;
  rows: Row[];
  usual: string | null;
  open: string | null;
  onOpen: (key: string) => void;
}) {
  const { invoice, owner, rows, usual, open, onOpen } = props;
  const of = rows[0]?.line;
  const nothing = rows.filter(({ line }) => compare(line.amount, '0') === 0);
  const [all, setAll] = useState(nothing.some(({ key }) => key === open));
  const shown = all ? rows : rows.filter((row) => !nothing.includes(row));
  const money = (amount: string) => formatMoney(amount, invoice.currency);
  const columns: Column<Row>[] = [
    {
      key: 'what',
      title: 'What',
      width: '34%',
      cell: ({ line }) =>
        line.corrects ? `${line.description} (corrects ${line.corrects})` : line.description,
      order: byText(({ line }: Row) => line.description),
      total: rows.length > 1 ? 'In all' : undefined,
    },
    { key: 'subscription', title: 'Subscription', width: '13%', cell: ({ line }) => line.subscription },
    {
      key: 'period',
      title: 'Service period',
      width: '14%',
      cell: ({ line }) => <Period line={line} month={invoice.period} usual={usual} />,
    },
    {
      key: 'quantity',
      title: 'Quantity',
      number: true,
      width: '10%',
      cell: ({ line }) => formatQuantity(line.quantity),
    },
    {
      key: 'unit',
      title: 'Unit',
      width: '12%',
      cell: ({ line }) => <Box sx={{ whiteSpace: 'nowrap' }}>{formatUnit(line.unit, line.quantity)}</Box>,
    },
    {
      key: 'each',
      title: 'On average',
      number: true,
      width: '8%',
      cell: ({ line }) => averageOf(line.amount, line.quantity),
    },
    {
      key: 'amount',
      title: invoice.currency,
      number: true,
      cell: ({ line }) => money(line.amount),
      order: (left, right) => compare(left.line.amount, right.line.amount),
      total: rows.length > 1 ? money(sum(rows.map(({ line }) => line.amount))) : undefined,
    },
  ];
  return (
    <Box component="section" sx={{ mb: 3 }}>
      <Box component="h3" sx={{ fontSize: '0.9rem', fontWeight: 620, m: 0, mb: 0.5 }}>
        {of?.project_name ?? 'The whole organisation'}
        <Box component="span" sx={{ color: 'text.secondary', fontWeight: 400, ml: 1 }}>
          {of?.organisation === invoice.buyer ? '' : `of ${of?.organisation_name}`}
        </Box>
      </Box>
      <DataTable
        name={`lines-${owner}`}
        label={`Lines of ${owner}`}
        rows={shown}
        rowKey={(row) => row.key}
        columns={columns}
        selected={open}
        onOpen={(row) => onOpen(row.key)}
        detail={({ line }) => (line.charge_id ? <Explanation chargeId={line.charge_id} line={line} /> : null)}
      />
      {nothing.length > 0 && (
        <Button onClick={() => setAll(!all)} sx={{ mt: 0.5 }}>
          {all
            ? 'Fold what comes to nothing'
            : `${formatCount(nothing.length)} ${nothing.length === 1 ? 'line comes' : 'lines come'} to 0.00: within what is included`}
        </Button>
      )}
    </Box>
  );
}

/** The service period, where it is not that of most lines; usage of an earlier month is marked. */
function Period({ line, month, usual }: { line: Line; month: string; usual: string | null }) {
  const own = servicePeriod(line.service_start, line.service_end);
  const middle = dayThatBegins(line.service_start).slice(0, 7);
  if (own === usual) return null;
  if (middle >= month) return <>{own}</>;
  return (
    <Box component="span" sx={{ color: 'warning.main', fontWeight: 560 }}>
      {own}, earlier month
    </Box>
  );
}
