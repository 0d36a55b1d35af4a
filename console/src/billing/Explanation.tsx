/** Why a line is what it is: rate card version, rate, quantity, block by block, resources, readings. */
import { Box, Button, Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { DataTable } from '../shared/DataTable';
import { momentName } from '../shared/dates';
import { compare, formatMoney, formatQuantity, readable, sum } from '../shared/decimal';
import { Query } from '../shared/States';
import { formatUnit } from '../shared/units';
import { Arithmetic, Mono } from './Arithmetic';
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
      <Arithmetic why={why} card={charge.rate_card} currency={charge.currency} />
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
      {why.meter && !why.limits && (
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
          {
            key: 'unit',
            title: 'Unit',
            cell: (row) => {
              const { text, unit } = readable(row.quantity, base);
              return formatUnit(unit, text === '1' ? '1' : '2');
            },
          },
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
              ...(found.items.some((row) => row.sent)
                ? [
                    {
                      key: 'sent',
                      title: 'Sent as',
                      cell: (row: (typeof found.items)[number]) => row.sent ?? '',
                    },
                  ]
                : []),
            ]}
          />
          {found.next && limit < 500 && <Button onClick={() => setLimit(500)}>Show more</Button>}
        </Box>
      )}
    </Query>
  );
}
