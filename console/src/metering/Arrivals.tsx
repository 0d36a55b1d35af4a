/** What comes in by each feed, beside what usually does: which is late, how far behind, how much came. */
import { Box, Link } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Link as To } from 'react-router';
import { type Column, DataTable, byText } from '../shared/DataTable';
import { momentName } from '../shared/dates';
import { formatCount } from '../shared/decimal';
import { counted } from '../shared/units';
import { type Arrival, arrivalsOptions, refusedFile } from './metering';

/** Hours, in days where there are many. */
export function span(hours: number | null): string {
  if (hours === null) return '';
  return hours >= 48 ? counted(Math.floor(hours / 24), 'day') : counted(hours, 'hour');
}

const COLOURS: Partial<Record<Arrival['pace'], string>> = {
  late: 'error.main',
  'less than usual': 'warning.main',
};

const COLUMNS: Column<Arrival>[] = [
  {
    key: 'feed',
    title: 'Feed',
    cell: (row) => (
      <Link component={To} to={`?feed=${encodeURIComponent(row.feed)}`}>
        {row.feed_name}
      </Link>
    ),
    order: byText((row) => row.feed_name),
  },
  {
    key: 'pace',
    title: 'Comes',
    whole: true,
    cell: (row) => (
      <Box component="span" sx={COLOURS[row.pace] ? { color: COLOURS[row.pace], fontWeight: 620 } : {}}>
        {row.pace}
      </Box>
    ),
    order: byText((row) => row.pace),
  },
  {
    key: 'last',
    title: 'Last delivery, UTC',
    whole: true,
    cell: (row) => (row.last_delivery ? momentName(row.last_delivery) : ''),
    order: byText((row) => row.last_delivery ?? ''),
  },
  { key: 'every', title: 'Every', whole: true, cell: (row) => span(row.every_hours) },
  {
    key: 'until',
    title: 'Here until, UTC',
    whole: true,
    cell: (row) => (row.here_until ? momentName(row.here_until) : ''),
    order: byText((row) => row.here_until ?? ''),
  },
  { key: 'behind', title: 'Behind', whole: true, cell: (row) => span(row.hours_behind) },
  { key: 'items', title: 'In 24 hours', number: true, cell: (row) => formatCount(row.items) },
  {
    key: 'usual',
    title: 'Usually',
    number: true,
    cell: (row) => (row.usual_items === null ? '' : formatCount(row.usual_items)),
  },
  {
    key: 'refused',
    title: 'Refused',
    number: true,
    cell: (row) =>
      row.refused > 0 && (
        <Link
          href={refusedFile(row.feed)}
          download
          aria-label={`Refused of ${row.feed_name} as CSV`}
          sx={{ color: 'error.main' }}
        >
          {formatCount(row.refused)}, CSV
        </Link>
      ),
  },
];

export function Arrivals({ organisation }: { organisation: string }) {
  const { data } = useQuery(arrivalsOptions(organisation));
  if (!data?.length) return null;
  return (
    <Box sx={{ mb: 3 }}>
      <DataTable name="arrivals" label="Feeds" rows={data} rowKey={(row) => row.feed} columns={COLUMNS} />
    </Box>
  );
}
