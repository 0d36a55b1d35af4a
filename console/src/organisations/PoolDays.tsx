/** A pool day by day: what there was, what was promised, and what was in use. */
import { Box } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { dayName } from '../shared/dates';
import { compare, formatQuantity } from '../shared/decimal';
import { type Column, DataTable } from '../shared/DataTable';
import { Empty, Query } from '../shared/States';
import { formatUnit } from '../shared/units';
import { type PoolDay, poolDaysOptions } from './hosts';
import type { Pool } from './sites';

const told = (amount: string | null) => (amount === null ? '' : formatQuantity(amount, 2));

const FIGURES: Column<PoolDay>[] = [
  { key: 'day', title: 'Day, UTC', whole: true, cell: (row) => dayName(row.day) },
  {
    key: 'capacity',
    title: 'Capacity',
    number: true,
    cell: (row) => told(row.capacity) + (compare(row.factor, '1') ? ` × ${formatQuantity(row.factor)}` : ''),
  },
  { key: 'promised', title: 'Promised of it', number: true, cell: (row) => told(row.promised) },
  { key: 'at_site', title: 'Promised at the site', number: true, cell: (row) => told(row.at_site) },
  { key: 'left', title: 'Left there', number: true, cell: (row) => told(row.left) },
  { key: 'metered', title: 'Measured, mean', number: true, cell: (row) => told(row.metered) },
  { key: 'on_hosts', title: 'On hosts', number: true, cell: (row) => told(row.on_hosts) },
  { key: 'most', title: 'At most', number: true, cell: (row) => told(row.on_hosts_most) },
  { key: 'handed_out', title: 'Hosts hand out', number: true, cell: (row) => told(row.handed_out) },
];

export function PoolDays({ pool }: { pool: Pool }) {
  const days = useQuery(poolDaysOptions(pool.id));
  return (
    <Box sx={{ py: 1.5 }}>
      <Query query={days} rows={3}>
        {(found) =>
          found.length ? (
            <>
              <DataTable
                name={`days-${pool.slug}`}
                label={`${pool.name} day by day`}
                rows={[...found].reverse()}
                rowKey={(row) => row.day}
                columns={FIGURES}
                height={found.length > 12 ? 420 : undefined}
              />
              <Box sx={{ color: 'text.secondary', fontSize: '0.86rem', mt: 0.5 }}>
                In {formatUnit(pool.unit, '2')}, of the last 30 days, each as it stood last. Measured is what
                feeds brought of the clouds at {pool.site_name}, on hosts what these clouds tell of their
                hosts.
              </Box>
            </>
          ) : (
            <Empty title="Nothing is noted of it yet">
              It is noted within the hour, and for each day from then on.
            </Empty>
          )
        }
      </Query>
    </Box>
  );
}
