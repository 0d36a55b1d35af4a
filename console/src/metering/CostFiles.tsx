/** Cost files of a supplier: which meter a feed's are of, and sending one. */
import { Alert, Box, Button } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import * as z from 'zod/mini';
import { servicesOptions } from '../catalogue/catalogue';
import { Refusal, api, body } from '../shared/api';
import { EntryDialog, Remark, TextInput } from '../shared/form';
import { costMeterOptions, costMeters, deliveryWords } from './costs';
import { chosen } from './fileMappings';
import type { Feed } from './metering';

export function SendCosts({ feed, meter }: { feed: Feed; meter: string }) {
  const queries = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [file, setFile] = useState<File | null>(null);
  const send = useMutation({
    mutationFn: async ({ file, confirmed }: { file: File; confirmed: boolean }) => {
      const { name, content } = await chosen(file);
      return body(
        await api.POST('/api/v1/deliveries/cost-files', {
          params: { query: { feed: feed.path } },
          body: { name, content, confirmed },
        }),
      );
    },
    onSettled: async () => {
      for (const key of [['deliveries', feed.path], ['imported costs']])
        await queries.invalidateQueries({ queryKey: key });
    },
  });
  const pick = (files: FileList | null) => {
    const first = files?.[0];
    if (!first) return;
    setFile(first);
    send.mutate({ file: first, confirmed: false });
  };
  const halved = send.error instanceof Refusal && send.error.facts['field'] === 'confirmed';
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
          Send a cost file
        </Button>
        <input
          ref={input}
          type="file"
          accept=".csv,.parquet,.gz"
          aria-label={`Cost file for ${feed.name}`}
          tabIndex={-1}
          style={{ position: 'absolute', width: 1, height: 1, opacity: 0 }}
          onChange={(event) => {
            pick(event.target.files);
            // So that the same file can be chosen again.
            event.target.value = '';
          }}
        />
        <Box sx={{ color: 'text.secondary' }}>
          or drop it here: FOCUS 1.0 to 1.2 as CSV or Parquet, costs of {meter}. What it states of a day takes
          the place of what was stated before.
        </Box>
      </Box>
      {send.isError && (
        <Alert
          severity={halved ? 'warning' : 'error'}
          variant="outlined"
          sx={{ mt: 1.5 }}
          action={
            halved &&
            file && <Button onClick={() => send.mutate({ file, confirmed: true })}>Take it as it is</Button>
          }
        >
          {send.error.message}
        </Alert>
      )}
      {send.data && (
        <Alert severity="success" variant="outlined" sx={{ mt: 1.5 }}>
          {deliveryWords(send.data)}
        </Alert>
      )}
    </Box>
  );
}

export function CostMeterDialog({ feed, onClose }: { feed: Feed; onClose: () => void }) {
  const queries = useQueryClient();
  const services = useQuery(servicesOptions);
  const now = useQuery(costMeterOptions(feed.path));
  const meters = costMeters(services.data ?? []);
  if (!services.data || !now.data) return null;
  return (
    <EntryDialog
      title={`Costs that ${feed.name} states`}
      act="Say so"
      schema={z.object({ meter: z.string() })}
      initial={{ meter: now.data.meter ?? '' }}
      save={async ({ meter }) => {
        body(
          await api.PUT('/api/v1/feeds/cost-meter', {
            params: { query: { feed: feed.path } },
            body: { meter: meter || null },
          }),
        );
        await queries.invalidateQueries({ queryKey: ['cost meter', feed.path] });
      }}
      onClose={onClose}
    >
      <TextInput name="meter" label="Meter" options={[['', 'none: it sends readings'], ...meters]} optional />
      <Remark>
        {meters.length
          ? 'A supplier’s cost files then come in by this feed, and customers pay what the rates on this meter put on top.'
          : 'Publish a service with a meter of a currency first, of unit micro-EUR: what customers pay goes by rates on it.'}
      </Remark>
    </EntryDialog>
  );
}
