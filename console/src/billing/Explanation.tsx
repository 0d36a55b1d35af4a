/** Why a line is what it is: rate card version, rate, quantity, block by block, resources, readings. */
import { Box, Button, Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { MONO } from '../app/theme';
import { DataTable } from '../shared/DataTable';
import { momentName } from '../shared/dates';
import { compare, formatMoney, formatQuantity, readable, sum } from '../shared/decimal';
import { Query } from '../shared/States';
import type { Line } from './spend';
import { type Charge, type Explanation as Why, chargeOptions, readingsOptions } from './invoices';

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
  const why = charge.explanation as unknown as Why;
  const [readings, setReadings] = useState(false);
  const base = why.base_unit ?? '';
  return (
    <Box sx={{ display: 'grid', gap: 2 }}>
      <Typography variant="body2">
        Rate <Mono>{why.rate}</Mono> of <Mono>{charge.rate_card}</Mono> version {why.rate_card_version}, in
        force from {why.starts_on}
        {why.match && <>, for {why.match}</>}. {why.kind === 'recurring' ? 'A fee for' : 'Used:'}{' '}
        <strong>
          {formatQuantity(why.quantity, 6)} {base}
        </strong>
        {why.kind === 'recurring'
          ? ` of the ${formatQuantity(why.base_units_per_unit ?? '0')} seconds of the month.`
          : `, ${formatQuantity(why.base_units_per_unit ?? '1')} of which are one ${why.unit ?? ''}.`}
        {why.covered_by_allowance && compare(why.covered_by_allowance, '0') > 0 && (
          <>
            {' '}
            The tier’s allowance covers {formatQuantity(why.covered_by_allowance, 6)} {base} of it.
          </>
        )}
        {why.priced_before_in_period && compare(why.priced_before_in_period, '0') > 0 && (
          <>
            {' '}
            {formatQuantity(why.priced_before_in_period, 6)} {base} were priced earlier in the month.
          </>
        )}
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
      {why.kind !== 'recurring' && why.kind !== 'given_back' && (
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
            rowKey={(row) => String(row.id)}
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
