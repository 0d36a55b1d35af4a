/** Mail to people: what was sent and what failed, each as it was written. */
import { Alert, Box, Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material';
import { MenuItem, TextField } from '@mui/material';
import { useInfiniteQuery, useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, Navigate } from 'react-router';
import { momentName } from '../shared/dates';
import { useFilters } from '../shared/filters';
import { Grid, type GridColumn, textColumn } from '../shared/Grid';
import { Page } from '../shared/Page';
import { Empty, Failed, Loading } from '../shared/States';
import { useToast } from '../shared/Toasts';
import { KIND_WORDS, type Message, messagesOptions, retryMessage } from './messages';
import { useSignedIn } from './session';

/** How far it has come, with why where it was not sent. */
function stateOf(row: Message): string {
  if (row.state === 'waiting' && row.problem) return `tried ${row.attempts} times: ${row.problem}`;
  if (row.state === 'failed') return `failed: ${row.problem ?? ''}`;
  return row.state;
}

const COLUMNS: GridColumn<Message>[] = [
  textColumn('created_at', 'Time, UTC', (row) => momentName(row.created_at), { width: 140 }),
  textColumn('email', 'To', (row) => row.email, { flex: 2 }),
  textColumn('subject', 'Subject', (row) => row.subject, { flex: 3 }),
  textColumn('kind', 'About', (row) => KIND_WORDS[row.kind], { width: 170 }),
  textColumn('state', 'State', stateOf, { flex: 2 }),
];

export default function MessagesPage() {
  const { home, mayAt } = useSignedIn();
  const reads = mayAt('manage members', home.organisation);
  const [params, set] = useFilters();
  const state = params.get('state') ?? '';
  const search = params.get('search') ?? '';
  const [open, setOpen] = useState<Message>();
  const messages = useInfiniteQuery({
    ...messagesOptions(home.organisation, state, search),
    enabled: reads,
  });
  if (!reads) return <Navigate to="/record/work" replace />;
  const rows = messages.data?.pages.flatMap((page) => page.items) ?? [];
  return (
    <Page
      title="Messages"
      lead={`Mail to the people of ${home.name}, and from it to others, the latest first.`}
      filters={
        <>
          <TextField
            select
            label="State"
            value={state}
            onChange={(event) => set('state', event.target.value)}
            sx={{ width: 150 }}
          >
            <MenuItem value="">all</MenuItem>
            {['waiting', 'sent', 'failed'].map((each) => (
              <MenuItem key={each} value={each}>
                {each}
              </MenuItem>
            ))}
          </TextField>
          <TextField
            label="Address has"
            value={search}
            onChange={(event) => set('search', event.target.value)}
            sx={{ width: 220 }}
          />
        </>
      }
      action={
        <Button variant="outlined" component={Link} to="/record/messages/texts">
          Texts
        </Button>
      }
    >
      {messages.isError && <Failed error={messages.error} retry={() => void messages.refetch()} />}
      {messages.isPending && <Loading />}
      {messages.isSuccess && !rows.length && (
        <Empty title={state || search ? 'No mail has this' : 'No mail was sent yet'}>
          {state || search
            ? 'Choose all states, or search for less.'
            : 'Invitations, orders, requests, answers and documents go out by mail and stand here.'}
        </Empty>
      )}
      {rows.length > 0 && (
        <Grid
          name="messages"
          label="Messages"
          rows={rows}
          rowKey={(row) => row.id}
          tall
          columns={COLUMNS}
          onOpen={setOpen}
          more={
            messages.hasNextPage
              ? { loading: messages.isFetchingNextPage, load: () => void messages.fetchNextPage() }
              : undefined
          }
        />
      )}
      {open && <MessageDialog message={open} onClose={() => setOpen(undefined)} />}
    </Page>
  );
}

function MessageDialog({ message, onClose }: { message: Message; onClose: () => void }) {
  const queries = useQueryClient();
  const say = useToast();
  const retry = useMutation({
    mutationFn: () => retryMessage(message.id),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['messages'] });
      say(`It is sent to ${message.email} again.`);
      onClose();
    },
  });
  return (
    <Dialog open onClose={onClose} aria-labelledby="message-title" fullWidth maxWidth="sm">
      <DialogTitle id="message-title">{message.subject}</DialogTitle>
      <DialogContent>
        <Box sx={{ color: 'text.secondary', fontSize: '0.86rem', mb: 2 }}>
          To {message.email}, from {message.from_name}. {momentName(message.created_at)} UTC,{' '}
          {stateOf(message)}.
        </Box>
        <Box sx={{ whiteSpace: 'pre-wrap', overflowWrap: 'anywhere' }}>{message.text}</Box>
        {retry.isError && (
          <Alert severity="error" variant="outlined" sx={{ mt: 2 }}>
            {retry.error.message}
          </Alert>
        )}
      </DialogContent>
      <DialogActions>
        {message.state === 'failed' && (
          <Button onClick={() => retry.mutate()} loading={retry.isPending}>
            Send it again
          </Button>
        )}
        <Button variant="contained" onClick={onClose}>
          Close
        </Button>
      </DialogActions>
    </Dialog>
  );
}
