/** A file dropped here is sent; sending it again does no harm. */
import { Alert, Box, LinearProgress } from '@mui/material';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { type Schemas, api, body } from '../shared/api';
import { formatCount } from '../shared/decimal';
import { DropFile } from './DropFile';
import { FileDialog, type FileSent } from './FileDialog';
import { type Chosen, chosen, hasOurColumns } from './fileMappings';
import type { Feed } from './metering';
import { readFile } from './readingFiles';

const BATCH = 2000;
type Outcome = Schemas['DeliveryOutcomeBody'];

export function SendFile({ feed }: { feed: Feed }) {
  const queries = useQueryClient();
  const [sent, setSent] = useState(0);
  const [total, setTotal] = useState(0);
  const [other, setOther] = useState<Chosen | null>(null);
  const [whole, setWhole] = useState<FileSent | null>(null);
  const send = useMutation({
    mutationFn: async (file: File): Promise<Outcome[]> => {
      setWhole(null);
      const parquet = /\.(parquet|gz)$/i.test(file.name);
      const text = parquet ? '' : await file.text();
      if (!hasOurColumns(file.name, text)) {
        setOther(await chosen(file));
        return [];
      }
      const events = readFile(file.name, text);
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
    onSettled: () =>
      Promise.all(
        [['deliveries', feed.path], ['feed arrivals']].map((queryKey) =>
          queries.invalidateQueries({ queryKey }),
        ),
      ),
  });
  const sum = (key: 'accepted' | 'known' | 'refused') =>
    formatCount((send.data ?? []).reduce((all, each) => all + each[key], 0));
  const outcomes = send.data?.flatMap((each) => each.outcomes) ?? [];
  const reason = outcomes.find((each) => each.status === 'refused')?.reason;
  const unknown = outcomes.filter((each) => each.status === 'accepted' && each.reason).length;
  return (
    <DropFile
      act="Send a file"
      label={`File of readings for ${feed.name}`}
      accept=".csv,.tsv,.txt,.jsonl,.ndjson,.parquet,.gz"
      hint="or drop it here: CSV, JSON Lines or Parquet. Columns in another shape than ours are mapped first."
      busy={send.isPending}
      onPick={([file]) => file && send.mutate(file)}
    >
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
      {send.data && send.data.length > 0 && (
        <Alert severity={reason ? 'warning' : 'success'} variant="outlined" sx={{ mt: 1.5 }}>
          {sum('accepted')} accepted, {sum('known')} known already, {sum('refused')} refused
          {reason ? `; the first of them: ${reason}` : ''}
          {unknown > 0 && `; ${formatCount(unknown)} are of unknown kind`}
        </Alert>
      )}
      {other && (
        <FileDialog
          feed={feed}
          file={other}
          onSent={(sent) => {
            setWhole(sent);
            void queries.invalidateQueries({ queryKey: ['deliveries', feed.path] });
          }}
          onClose={() => setOther(null)}
        />
      )}
      {whole && (
        <Alert severity={whole.refused ? 'warning' : 'success'} variant="outlined" sx={{ mt: 1.5 }}>
          {whole.again
            ? `${whole.file} was here already, with ${formatCount(whole.known)} readings; nothing changed`
            : `${whole.file}: ${formatCount(whole.accepted)} accepted, ${formatCount(whole.known)} known already, ${formatCount(whole.refused)} refused${whole.unknown ? `; ${formatCount(whole.unknown)} are of unknown kind` : ''}`}
          {whole.refusals[0] && `; the first of them: ${whole.refusals[0].reason}`}
        </Alert>
      )}
    </DropFile>
  );
}
