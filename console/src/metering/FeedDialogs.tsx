/** Makes a feed, lets somebody send to it, and sends a file to it. */
import { Alert, Box, Button, LinearProgress } from '@mui/material';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import * as z from 'zod/mini';
import { type Schemas, api, body } from '../shared/api';
import { formatCount } from '../shared/decimal';
import { EntryDialog, TextInput, given, slug } from '../shared/form';
import { Names } from '../shared/Names';
import { type Feed } from './metering';
import { readFile } from './readingFiles';

export function FeedDialog({ organisation, onClose }: { organisation: string; onClose: () => void }) {
  const queries = useQueryClient();
  return (
    <EntryDialog
      title="A new feed"
      act="Make the feed"
      schema={z.object({ name: given('The name that people read'), slug })}
      initial={{ name: '', slug: '' }}
      save={async (values) => {
        body(
          await api.POST('/api/v1/organisations/{organisation}/feeds', {
            params: { path: { organisation } },
            body: values,
          }),
        );
        await queries.invalidateQueries({ queryKey: ['feeds'] });
      }}
      onClose={onClose}
    >
      <Names
        hint={`Senders name the feed as ${organisation}/its slug`}
        nameHint="A cloud, a site or whatever sends readings of its own"
      />
    </EntryDialog>
  );
}

export function SenderDialog({ feed, onClose }: { feed: Feed; onClose: () => void }) {
  const queries = useQueryClient();
  return (
    <EntryDialog
      title={`Who may send to ${feed.name}`}
      act="Let them send"
      schema={z.object({ email: given('The e-mail address of a member') })}
      initial={{ email: '' }}
      save={async ({ email }) => {
        body(await api.PUT('/api/v1/feeds/senders', { body: { feed: feed.path, email } }));
        await queries.invalidateQueries({ queryKey: ['feeds'] });
      }}
      onClose={onClose}
    >
      <TextInput
        name="email"
        label="E-mail address"
        hint="A member with the role sender sends readings and sees nothing; its token is made on its account page"
      />
    </EntryDialog>
  );
}

const BATCH = 2000;
type Outcome = Schemas['DeliveryOutcomeBody'];

/** A file dropped here is sent; sending it again does no harm. */
export function SendFile({ feed }: { feed: Feed }) {
  const queries = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [sent, setSent] = useState(0);
  const [total, setTotal] = useState(0);
  const send = useMutation({
    mutationFn: async (file: File): Promise<Outcome[]> => {
      const events = readFile(file.name, await file.text());
      setTotal(events.length);
      setSent(0);
      const outcomes: Outcome[] = [];
      for (let first = 0; first < events.length; first += BATCH) {
        const some = events.slice(first, first + BATCH);
        outcomes.push(
          body(
            await api.POST('/api/v1/readings', {
              params: { query: { feed: feed.path } },
              headers: { 'Content-Type': 'application/cloudevents-batch+json' },
              body: some as unknown as Record<string, never>[],
            }),
          ),
        );
        setSent(first + some.length);
      }
      return outcomes;
    },
    onSettled: () => queries.invalidateQueries({ queryKey: ['deliveries', feed.path] }),
  });
  const pick = (files: FileList | null) => files?.[0] && send.mutate(files[0]);
  const sum = (key: 'accepted' | 'known' | 'refused') =>
    formatCount((send.data ?? []).reduce((all, each) => all + each[key], 0));
  const reason = send.data
    ?.flatMap((each) => each.outcomes)
    .find((each) => each.status === 'refused')?.reason;
  return (
    <Box
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        pick(event.dataTransfer.files);
      }}
      sx={{ border: '1px dashed', borderColor: 'divider', p: 2, mb: 3, fontSize: '0.88rem' }}
    >
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'center' }}>
        <Button variant="outlined" loading={send.isPending} onClick={() => input.current?.click()}>
          Send a file
        </Button>
        <input
          ref={input}
          type="file"
          accept=".csv,.jsonl,.ndjson"
          aria-label={`File of readings for ${feed.name}`}
          tabIndex={-1}
          style={{ position: 'absolute', width: 1, height: 1, opacity: 0 }}
          onChange={(event) => {
            pick(event.target.files);
            // So that the same file can be chosen again.
            event.target.value = '';
          }}
        />
        <Box sx={{ color: 'text.secondary' }}>
          or drop it here: CSV or JSON Lines with id, owner, resource, meter, quantity, unit, start and end.
        </Box>
      </Box>
      {send.isPending && total > 0 && (
        <Box sx={{ mt: 1.5 }}>
          <LinearProgress variant="determinate" value={(100 * sent) / total} aria-label="Sending" />
          {formatCount(sent)} of {formatCount(total)} readings
        </Box>
      )}
      {send.isError && (
        <Alert severity="error" variant="outlined" sx={{ mt: 1.5 }}>
          {send.error.message}
        </Alert>
      )}
      {send.data && (
        <Alert severity={reason ? 'warning' : 'success'} variant="outlined" sx={{ mt: 1.5 }}>
          {sum('accepted')} accepted, {sum('known')} known already, {sum('refused')} refused
          {reason ? `; the first of them: ${reason}` : ''}
        </Alert>
      )}
    </Box>
  );
}
