/** Months of readings: which are archived, what they take, and from when on they are to stand in rows. */
import { Box, Button, LinearProgress } from '@mui/material';
import { queryOptions, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import * as z from 'zod/mini';
import { api, body, type Schemas } from '../shared/api';
import { DataTable } from '../shared/DataTable';
import { periodName, periodsFrom } from '../shared/dates';
import { formatCount } from '../shared/decimal';
import { EntryDialog, Remark, TextInput } from '../shared/form';
import { Section } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { useToast } from '../shared/Toasts';
import { useSignedIn } from './session';

export type Archived = Schemas['ArchivedMonthsBody'];
const path = '/api/v1/archived-months';

const archivedOptions = queryOptions({
  queryKey: ['archived-months'],
  queryFn: async (): Promise<Archived> => body(await api.GET(path)),
  refetchInterval: ({ state }) => (state.data?.task ? 1000 : false),
});

export function MonthsKept() {
  const { home, mayAt } = useSignedIn();
  const months = useQuery(archivedOptions);
  const [chosen, choose] = useState(false);
  const changes = mayAt('manage feeds', home.organisation);
  return (
    <Section
      title="Readings by month"
      aside={
        changes &&
        months.data && (
          <Button onClick={() => choose(true)} disabled={months.data.task !== null}>
            Archive or bring back…
          </Button>
        )
      }
    >
      <Query query={months}>
        {(found) => (
          <>
            <Box sx={{ mb: 1 }}>{archivedWords(found)}</Box>
            {found.task && (
              <Box sx={{ mb: 2 }}>
                <LinearProgress aria-label="Under way" sx={{ mb: 0.5 }} />
                <Link to={`/record/work?task=${found.task}`}>How far it is</Link>
              </Box>
            )}
            <Table found={found} />
            {chosen && <Dialog found={found} onClose={() => choose(false)} />}
          </>
        )}
      </Query>
    </Section>
  );
}

function Table({ found }: { found: Archived }) {
  if (!found.items.length)
    return <Empty title="No readings yet">Each month that has some is listed here.</Empty>;
  return (
    <DataTable
      name="months-kept"
      label="Months of readings"
      rows={[...found.items].reverse()}
      rowKey={(row) => row.month}
      columns={[
        { key: 'month', title: 'Month, UTC', cell: (row) => periodName(row.month) },
        {
          key: 'archived',
          title: 'Archived',
          number: true,
          cell: (row) => (row.archived ? formatCount(row.archived) : '–'),
        },
        { key: 'packed', title: 'Packed', number: true, cell: (row) => sizeWords(row.packed) },
        { key: 'rows', title: 'In rows, about', number: true, cell: (row) => sizeWords(row.in_rows) },
      ]}
    />
  );
}

const schema = z.object({ before: z.string() });

function Dialog({ found, onClose }: { found: Archived; onClose: () => void }) {
  const queries = useQueryClient();
  const toast = useToast();
  const save = async ({ before }: { before: string }) => {
    const set = body(await api.PUT(path, { body: { before: before || null } }));
    queries.setQueryData(archivedOptions.queryKey, set);
    toast(set.task ? 'Readings are being moved' : 'Nothing had to be moved');
  };
  return (
    <EntryDialog
      title="Archive or bring back readings"
      act="Move them"
      schema={schema}
      initial={{ before: found.before ?? '' }}
      save={save}
      changes
      onClose={onClose}
    >
      <TextInput name="before" label="Archived is what was measured" options={choices(found)} optional />
      <Remark>
        Archived readings take a fraction of the space, and charges still lead to them. Their usage is fixed:
        what comes in later for those months is refused, and changed rules of owner or kind do not reach them.
        What holds until it changes goes on as before. Bringing a month back lifts that.
      </Remark>
    </EntryDialog>
  );
}

/** From when on readings may stand in rows: of no month, or of any that there is up to the latest. */
export function choices({ items, latest, before }: Archived): [string, string][] {
  const months = new Set(items.map((each) => periodsFrom(each.month, 1)).filter((each) => each <= latest));
  if (before) months.add(before);
  return [
    ['', 'nothing'],
    ...[...months].sort().map((each): [string, string] => [each, `before ${periodName(each)}`]),
  ];
}

/** What is archived, and what is on its way. */
export function archivedWords({ before, wanted, task }: Archived): string {
  const is = before
    ? `What was measured before ${periodName(before)} is archived, and its usage fixed.`
    : 'No readings are archived.';
  if (!task) return is;
  return `${is} It is being changed to ${wanted ? `before ${periodName(wanted)}` : 'nothing'}.`;
}

/** About how many bytes. */
export function sizeWords(size: number): string {
  if (!size) return '–';
  const [of, unit] =
    size >= 2 ** 30 ? [2 ** 30, 'GiB'] : size >= 2 ** 20 ? [2 ** 20, 'MiB'] : [2 ** 10, 'KiB'];
  return `${(size / of).toFixed(1)} ${unit}`;
}
