/** The lines of a document by project and service, with their sums; what comes to nothing is folded away. */
import { Box, Button } from '@mui/material';
import { useState } from 'react';
import type { Schemas } from '../shared/api';
import { type Column, DataTable, type RowGroup, byText } from '../shared/DataTable';
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
  const usual = usualPeriod(rows);
  const [unfolded, setUnfolded] = useState<string[]>([]);
  return (
    <>
      {usual && (
        <Box sx={{ fontSize: '0.84rem', color: 'text.secondary', mb: 1.5 }}>
          All of {usual}, unless said beside a line.
        </Box>
      )}
      <DataTable
        name="lines"
        label="Lines"
        rows={rows}
        groups={groupsOf(invoice, rows, open, unfolded, setUnfolded)}
        rowKey={(row) => row.key}
        columns={columnsOf(invoice, rows, usual)}
        selected={open}
        onOpen={(row) => onOpen(row.key)}
        detail={({ line }) => (line.charge_id ? <Explanation chargeId={line.charge_id} line={line} /> : null)}
      />
    </>
  );
}

/** Lines below their project, projects below their organisation where they are not the buyer's own. */
function groupsOf(
  invoice: Invoice,
  rows: readonly Row[],
  open: string | null,
  unfolded: readonly string[],
  setUnfolded: (keys: string[]) => void,
): RowGroup<Row>[] {
  const money = (some: readonly Row[]) =>
    formatMoney(sum(some.map(({ line }) => line.amount)), invoice.currency);
  const owners = grouped(rows, ({ line }) => line.organisation);
  const others = [...owners.keys()].some((owner) => owner !== invoice.buyer);
  return [...owners].flatMap(([owner, own]) => {
    const projects = [...grouped(own, ({ line }) => line.project ?? '')].map(([project, some]) => {
      const key = `${owner}/${project}`;
      const nothing = some.filter(({ line }) => compare(line.amount, '0') === 0);
      const all = unfolded.includes(key) || nothing.some((row) => row.key === open);
      const folded = all ? 'Fold what comes to nothing' : `${zeros(nothing.length)}: within what is included`;
      return {
        key,
        title: some[0]?.line.project_name ?? 'The whole organisation',
        depth: others ? 1 : 0,
        total: money(some),
        rows: all ? some : some.filter((row) => !nothing.includes(row)),
        after: nothing.length > 0 && (
          <Button
            onClick={() => setUnfolded(all ? unfolded.filter((each) => each !== key) : [...unfolded, key])}
            sx={{ mt: 0.5 }}
          >
            {folded}
          </Button>
        ),
      };
    });
    const title = own[0]?.line.organisation_name ?? owner;
    return others ? [{ key: owner, title, total: money(own), rows: [] }, ...projects] : projects;
  });
}

const zeros = (count: number) => `${formatCount(count)} ${count === 1 ? 'line comes' : 'lines come'} to 0.00`;

function grouped(rows: readonly Row[], by: (row: Row) => string): Map<string, Row[]> {
  const found = new Map<string, Row[]>();
  for (const row of rows) found.set(by(row), [...(found.get(by(row)) ?? []), row]);
  return found;
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

function columnsOf(invoice: Invoice, rows: readonly Row[], usual: string | null): Column<Row>[] {
  const periods = new Set(rows.map(({ line }) => servicePeriod(line.service_start, line.service_end)));
  const period: Column<Row> = {
    key: 'period',
    title: 'Service period',
    width: '14%',
    cell: ({ line }) => <Period line={line} month={invoice.period} usual={usual} />,
  };
  return [
    {
      key: 'what',
      title: 'What',
      width: '34%',
      cell: ({ line }) =>
        line.corrects ? `${line.description} (corrects ${line.corrects})` : line.description,
      order: byText(({ line }: Row) => line.description),
    },
    { key: 'subscription', title: 'Subscription', width: '13%', cell: ({ line }) => line.subscription },
    ...(periods.size === 1 && usual ? [] : [period]),
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
      cell: ({ line }) => formatMoney(line.amount, invoice.currency),
      order: (left, right) => compare(left.line.amount, right.line.amount),
    },
  ];
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
