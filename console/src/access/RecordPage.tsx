/** Who did what in the organisation, and for it. */
import { MenuItem, TextField } from '@mui/material';
import { useInfiniteQuery } from '@tanstack/react-query';
import { Navigate } from 'react-router';
import { useSignedIn } from './session';
import { momentName } from '../shared/dates';
import { useFilters } from '../shared/filters';
import { Grid, type GridColumn, textColumn } from '../shared/Grid';
import { Page } from '../shared/Page';
import { Empty, Failed, Loading } from '../shared/States';
import { type AuditEntry, changesOf, recordOptions } from './members';

const ACTIONS = [
  'invoice issued',
  'credit note issued',
  'draft discarded',
  'bill run started',
  'task tried again',
  'tax rate set',
  'one-off charge entered',
  'one-off charge withdrawn',
  'catalogue published',
  'tier sale set',
  'subscription made',
  'subscription changed',
  'subscription ended',
  'own terms set',
  'assignment rule set',
  'assignment rule deleted',
  'order carried out',
  'order waits',
  'order approved',
  'order refused',
  'order withdrawn',
  'order policy set',
  'onboarding asked for',
  'onboarding approved',
  'onboarding asked back',
  'onboarding refused',
  'onboarding withdrawn',
  'onboarding policy set',
  'quota set',
  'quota asked for',
  'quota request granted',
  'quota request partly granted',
  'quota request refused',
  'quota request withdrawn',
  'organisation made',
  'details changed',
  'state set',
  'planned state withdrawn',
  'project made',
  'feed made',
  'sender allowed',
  'member invited',
  'invitation withdrawn',
  'member joined',
  'member changed',
  'member removed',
  'sign-in policy set',
  'second factor set up',
  'second factor given up',
  'signed in',
  'sign-in failed',
  'password changed',
  'password reset made',
  'password reset asked',
  'password reset',
  'token made',
  'token withdrawn',
  'message text written',
  'message text dropped',
  'message sent again',
  'clock set',
];

/** Who it was: a user, an organisation, or nobody that is known here. */
const who = ({ user, organisation, action }: AuditEntry): string =>
  user || organisation || (action === 'sign-in failed' ? 'unknown' : 'from above');
const from = ({ token, address }: AuditEntry): string => (token ? `token ${token}` : (address ?? ''));

const COLUMNS: GridColumn<AuditEntry>[] = [
  textColumn('at', 'Time, UTC', (row) => momentName(row.at), { width: 140 }),
  textColumn('who', 'Who', who, { flex: 3 }),
  textColumn('from', 'From', from, { width: 110 }),
  textColumn('action', 'What', (row) => row.action, { width: 170 }),
  textColumn(
    'subject',
    'Subject',
    (row) => (row.concerns ? `${row.subject}, for ${row.concerns}` : row.subject),
    {
      flex: 2,
    },
  ),
  textColumn('changes', 'Change', (row) => changesOf(row).join('; '), { flex: 4 }),
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
        <Grid
          name="record"
          label="Record"
          rows={rows}
          rowKey={(row) => row.id}
          tall
          columns={COLUMNS}
          more={
            record.hasNextPage
              ? { loading: record.isFetchingNextPage, load: () => void record.fetchNextPage() }
              : undefined
          }
        />
      )}
    </Page>
  );
}
