/** Who did what in the organisation, and for it. */
import { Box, Button, MenuItem, TextField } from '@mui/material';
import { useInfiniteQuery } from '@tanstack/react-query';
import { Navigate } from 'react-router';
import { useSignedIn } from './session';
import { DataTable } from '../shared/DataTable';
import { momentName } from '../shared/dates';
import { useFilters } from '../shared/filters';
import { Page } from '../shared/Page';
import { Empty, Failed, Loading } from '../shared/States';
import { changesOf, recordOptions } from './members';

const ACTIONS = [
  'invoice issued',
  'credit note issued',
  'draft discarded',
  'bill run started',
  'task tried again',
  'catalogue published',
  'tier sale set',
  'tax rate set',
  'subscription made',
  'subscription changed',
  'subscription ended',
  'own terms set',
  'one-off charge entered',
  'one-off charge withdrawn',
  'quota set',
  'organisation made',
  'project made',
  'member invited',
  'member joined',
  'member changed',
  'member removed',
  'token made',
  'token withdrawn',
  'signed in',
  'sign-in failed',
  'password changed',
];

export default function RecordPage() {
  const { home, mayAt } = useSignedIn();
  const reads = mayAt('manage members', home.organisation);
  const [params, set] = useFilters();
  const action = params.get('action') ?? '';
  const search = params.get('search') ?? '';
  const record = useInfiniteQuery({
    ...recordOptions(home.organisation, action, search),
    enabled: reads,
  });
  if (!reads) return <Navigate to="/record/work" replace />;
  const rows = record.data?.pages.flatMap((page) => page.items) ?? [];
  return (
    <Page
      title="Record"
      lead={`Who did what for ${home.name}, newest first. What others did for it is here without their names.`}
      filters={
        <>
          <TextField
            select
            label="What"
            value={action}
            onChange={(event) => set('action', event.target.value)}
            sx={{ width: 220 }}
          >
            <MenuItem value="">everything</MenuItem>
            {ACTIONS.map((each) => (
              <MenuItem key={each} value={each}>
                {each}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            label="Subject has"
            value={search}
            onChange={(event) => set('search', event.target.value)}
            sx={{ width: 220 }}
          />
        </>
      }
    >
      {record.isError && <Failed error={record.error} retry={() => void record.refetch()} />}
      {record.isPending && <Loading />}
      {record.isSuccess && !rows.length && (
        <Empty title="Nothing is on record with this">Choose everything, or search for less.</Empty>
      )}
      {rows.length > 0 && (
        <DataTable
          name="record"
          label="Record"
          rows={rows}
          rowKey={(row) => row.id}
          columns={[
            { key: 'at', title: 'Time, UTC', width: 140, cell: (row) => momentName(row.at) },
            {
              key: 'who',
              title: 'Who',
              cell: (row) => (
                <>
                  {row.user ||
                    row.organisation ||
                    (row.action === 'sign-in failed' ? 'unknown' : 'from above')}
                  {(row.token ?? row.address) && (
                    <Box
                      component="span"
                      sx={{ color: 'text.secondary', display: 'block', fontSize: '0.76rem' }}
                    >
                      {row.token ? `token ${row.token}` : `from ${row.address}`}
                    </Box>
                  )}
                </>
              ),
            },
            { key: 'action', title: 'What', cell: (row) => row.action },
            {
              key: 'subject',
              title: 'Subject',
              cell: (row) => (row.concerns ? `${row.subject}, for ${row.concerns}` : row.subject),
            },
            {
              key: 'changes',
              title: 'Change',
              cell: (row) => (
                <Box sx={{ minWidth: 280, color: 'text.secondary', overflowWrap: 'anywhere' }}>
                  {changesOf(row).slice(0, 6).join('; ')}
                </Box>
              ),
            },
          ]}
        />
      )}
      {record.hasNextPage && (
        <Button
          sx={{ mt: 1 }}
          loading={record.isFetchingNextPage}
          onClick={() => void record.fetchNextPage()}
        >
          Show earlier ones
        </Button>
      )}
    </Page>
  );
}
