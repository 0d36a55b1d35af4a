/** Why a line is what it is: rate card version, rate, quantity, block by block, resources, readings. */
import { Box, Button, Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { MONO } from '../shared/theme';
import { DataTable } from '../shared/DataTable';
import { momentName } from '../shared/dates';
import { compare, formatMoney, formatQuantity, readable, sum } from '../shared/decimal';
import { Query } from '../shared/States';
import { type Charge, type Explanation as Why, type Line, chargeOptions, readingsOptions } from './invoices';

const MOST_RESOURCES = 12;

export function Explanation({ chargeId, line }: { chargeId: string; line: Line }) {
  const charge = useQuery(chargeOptions(chargeId));
  return (
    <Box
      sx={{
        borderLeft: '2px solid',
        borderColor: 'primary.main',
        bgcolor: 'background.paper',
        px: 2.5,
        py: 2,
      }}
    >
      <Query query={charge} rows={3}>
        {(found) => <View charge={found} line={line} />}
      </Query>
    </Box>
  );
}

function View({ charge, line }: { charge: Charge; line: Line }) {
  const projects = new Set(charge.parts.map((part) => part.project));
  const why = charge.explanation as Why;
  const [readings, setReadings] = useState(false);
  const base = why.base_unit ?? '';
  return (
    <Box sx={{ display: 'grid', gap: 2 }}>
      <Typography variant="body2">
        <Said why={why} card={charge.rate_card} base={base} />
      </Typography>
      {why.blocks.length > 0 && (
        <DataTable
          name="blocks"
          label="Arithmetic"
          rows={why.blocks.map((block, index) => ({ ...block, key: String(index) }))}
          rowKey={(row) => row.key}
          columns={[
            { key: 'from', title: `From, ${base}`, number: true, cell: (row) => formatQuantity(row.from, 6) },
            {
              key: 'quantity',
              title: `Quantity, ${why.unit ?? ''}`,
              number: true,
              cell: (row) => formatQuantity(row.in_units, 6),
            },
            { key: 'times', title: '', cell: () => '×' },
            {
              key: 'price',
              title: `Price, ${charge.currency}`,
              number: true,
              cell: (row) => formatQuantity(row.price, 12),
            },
            { key: 'equals', title: '', cell: () => '=' },
            {
              key: 'amount',
              title: charge.currency,
              number: true,
              cell: (row) => formatQuantity(row.amount, 12),
              total: formatQuantity(why.amount, 12),
            },
          ]}
        />
      )}
      {(why.adjustments ?? []).map((each) => (
        <Typography key={each.kind} variant="body2">
          {ADJUSTED[each.kind] ?? each.kind}: {formatQuantity(each.amount, 12)} {charge.currency}.
        </Typography>
      ))}
      {why.shared && (
        <Typography variant="body2">
          Counted per {why.over}: all its subscriptions together used {formatQuantity(why.shared.quantity, 6)}{' '}
          {base}, which comes to {formatQuantity(why.shared.amount, 12)} {charge.currency}; this charge is the
          share of one, in proportion to quantity.
        </Typography>
      )}
      {why.billed_before && (
        <Typography variant="body2">
          Billed before for this period: {formatQuantity(why.billed_before.amount, 12)} {charge.currency};
          this document has the rest, {formatQuantity(charge.amount, 12)}.
        </Typography>
      )}
      {projects.size > 1 && (
        <Typography variant="body2">
          The charge is one sum over {projects.size} projects; this line is the share of{' '}
          <strong>{line.project}</strong>, {formatMoney(line.amount, charge.currency)} {charge.currency}, in
          proportion to quantity.
        </Typography>
      )}
      <Resources charge={charge} base={base} />
      {why.meter && (
        <Box>
          <Button variant="outlined" onClick={() => setReadings(!readings)} aria-expanded={readings}>
            {readings ? 'Hide the readings' : 'Show the readings'}
          </Button>
          {readings && <Readings chargeId={charge.id} unit={base} />}
        </Box>
      )}
    </Box>
  );
}

const ADJUSTED: Record<string, string> = {
  fixed: 'Fixed amount of the month',
  minimum: 'Raised to the minimum by',
  cap: 'Lowered to the cap by',
};

const above = (text: string | undefined): text is string => text !== undefined && compare(text, '0') > 0;

/** What was charged and by which rate, in a few sentences. */
function Said({ why, card, base }: { why: Why; card: string; base: string }) {
  const where = (
    <>
      <Mono>{card}</Mono> version {why.rate_card_version}, in force from {why.starts_on}
    </>
  );
  if (why.kind === 'discount')
    return (
      <>
        Discount <Mono>{why.rate}</Mono> of {where}
        {why.percent ? `: ${why.percent} % of ` : ', off '}
        {formatQuantity(why.priced_before_in_period ?? '0', 12)}.
      </>
    );
  if (why.kind === 'commitment')
    return (
      <>
        Minimum spend <Mono>{why.rate}</Mono> of {where}: what was charged falls short of it by this amount.
      </>
    );
  if (why.kind === 'spread')
    return (
      <>
        Fixed cost <Mono>{why.rate}</Mono> of {where}: {why.shared?.amount ?? ''} for its part of the month,
        spread by <Mono>{why.spread_by ?? ''}</Mono>. This line used {formatQuantity(why.key ?? '0', 6)} of{' '}
        {formatQuantity(why.shared?.quantity ?? '0', 6)}.
      </>
    );
  if (why.kind === 'overhead')
    return (
      <>
        Overhead of {where}: {why.percent} % on {formatQuantity(why.priced_before_in_period ?? '0', 12)}.
      </>
    );
  if (why.kind === 'one_off_charge')
    return <>Charged by hand by the seller on this day; no rate made it, and discounts do not touch it.</>;
  const fee = why.kind === 'recurring';
  return (
    <>
      Rate <Mono>{why.rate}</Mono> of {where}
      {why.match && <>, for {why.match}</>}.{' '}
      {fee ? 'A fee for' : why.kind === 'one_off' ? 'Charged once:' : 'Used:'}{' '}
      <strong>
        {formatQuantity(why.quantity, 6)} {why.kind === 'one_off' ? '' : base}
      </strong>
      {fee
        ? `${why.advance ? ', in advance' : ''}, of the term’s ${formatQuantity(wholeSeconds(why))}.`
        : why.kind === 'one_off'
          ? '.'
          : why.kind === 'lots'
            ? ', in lots; one begun is charged whole.'
            : `, ${formatQuantity(why.base_units_per_unit ?? '1')} of which are one ${why.unit ?? ''}.`}
      {above(why.covered_by_allowance) && (
        <>
          {' '}
          Allowances cover {formatQuantity(why.covered_by_allowance, 6)} {base} of it.
        </>
      )}
      {above(why.committed_not_used) && (
        <>
          {' '}
          {formatQuantity(why.committed_not_used, 6)} {base} more were committed and not used.
        </>
      )}
      {above(why.priced_before_in_period) && (
        <>
          {' '}
          {formatQuantity(why.priced_before_in_period, 6)} {base} were priced earlier in the month.
        </>
      )}
    </>
  );
}

/** The seconds of a fee's whole term: those of one piece, times the pieces. */
function wholeSeconds(why: Why): string {
  const [top = '1', bottom = '1'] = (why.base_units_per_unit ?? '1').split('/');
  const pieces = BigInt(why.subscribed_quantity ?? 1);
  return String((BigInt(top.split('.')[0] ?? '1') * pieces) / BigInt(bottom));
}

function Mono({ children }: { children: string }) {
  return (
    <Box component="span" sx={{ fontFamily: MONO, fontSize: '0.8rem' }}>
      {children}
    </Box>
  );
}

function Resources({ charge, base }: { charge: Charge; base: string }) {
  const found = new Map<string, { quantity: string[]; amount: string[] }>();
  for (const part of charge.parts) {
    const name = part.resource ? `${part.project ?? ''} / ${part.resource}` : part.project;
    if (!name) continue;
    const entry = found.get(name) ?? { quantity: [], amount: [] };
    entry.quantity.push(part.quantity);
    entry.amount.push(part.amount);
    found.set(name, entry);
  }
  const rows = [...found]
    .map(([name, entry]) => ({ name, quantity: sum(entry.quantity), amount: sum(entry.amount) }))
    .sort((left, right) => compare(right.amount, left.amount));
  if (!rows.length) return null;
  return (
    <Box>
      <DataTable
        name="resources"
        label="Resources"
        rows={rows.slice(0, MOST_RESOURCES)}
        rowKey={(row) => row.name}
        columns={[
          { key: 'name', title: 'Project / resource', cell: (row) => row.name },
          {
            key: 'quantity',
            title: 'Quantity',
            number: true,
            cell: (row) => readable(row.quantity, base).text,
          },
          { key: 'unit', title: 'Unit', cell: (row) => readable(row.quantity, base).unit },
          {
            key: 'amount',
            title: charge.currency,
            number: true,
            cell: (row) => formatMoney(row.amount, charge.currency),
          },
        ]}
      />
      {rows.length > MOST_RESOURCES && (
        <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>
          and {rows.length - MOST_RESOURCES} more
        </Box>
      )}
    </Box>
  );
}

function Readings({ chargeId, unit }: { chargeId: string; unit: string }) {
  const [limit, setLimit] = useState(20);
  const readings = useQuery(readingsOptions(chargeId, limit));
  return (
    <Query query={readings} rows={4}>
      {(found) => (
        <Box sx={{ mt: 1 }}>
          <DataTable
            name="readings"
            label="Readings"
            rows={found.items}
            rowKey={(row) => `${row.feed} ${row.source} ${row.event_id}`}
            columns={[
              { key: 'feed', title: 'Feed', cell: (row) => row.feed },
              { key: 'id', title: 'Id', cell: (row) => <Mono>{row.event_id}</Mono> },
              { key: 'resource', title: 'Resource', cell: (row) => row.resource },
              { key: 'start', title: 'From, UTC', cell: (row) => momentName(row.start) },
              { key: 'end', title: 'To, UTC', cell: (row) => momentName(row.end) },
              {
                key: 'quantity',
                title: `Measured (${unit.replace(/-second$/, '')})`,
                number: true,
                cell: (row) => formatQuantity(row.quantity, 6),
              },
            ]}
          />
          {found.next && limit < 500 && <Button onClick={() => setLimit(500)}>Show more</Button>}
        </Box>
      )}
    </Query>
  );
}
