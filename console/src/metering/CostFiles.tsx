/** Cost files of a supplier: which meter a feed's are of, and sending one. */
import { Alert, Box, Button, LinearProgress } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import * as z from 'zod/mini';
import { servicesOptions } from '../catalogue/catalogue';
import { Refusal, api, body } from '../shared/api';
import { CheckInput, EntryDialog, Remark, TextInput } from '../shared/form';
import { costMeterOptions, costMeters, deliveryWords } from './costs';
import { useToast } from '../shared/Toasts';
import { counted } from '../shared/units';
import { DropFile } from './DropFile';
import { chosen } from './fileMappings';
import type { Feed } from './metering';
import { AT_ONCE, sendInPieces } from './uploads';

export function SendCosts({ feed, meter, quantities }: { feed: Feed; meter: string; quantities: boolean }) {
  const queries = useQueryClient();
  const [files, setFiles] = useState<File[]>([]);
  const [share, setShare] = useState(0);
  const send = useMutation({
    mutationFn: async ({ files, confirmed }: { files: File[]; confirmed: boolean }) => {
      const [file] = files;
      if (!file || files.length > 1 || file.size > AT_ONCE) {
        await sendInPieces(feed.path, files, setShare);
        return null;
      }
      const { name, content } = await chosen(file);
      return body(
        await api.POST('/api/v1/deliveries/cost-files', {
          params: { query: { feed: feed.path } },
          body: { name, content, confirmed },
        }),
      );
    },
    onSettled: async () => {
      setShare(0);
      for (const key of [
        ['deliveries', feed.path],
        ['uploads', feed.path],
        ['imported costs'],
        ['feed arrivals'],
      ])
        await queries.invalidateQueries({ queryKey: key });
    },
  });
  const pick = (picked: File[]) => {
    const inOrder = picked.toSorted((one, other) => (one.name < other.name ? -1 : 1));
    setFiles(inOrder);
    send.mutate({ files: inOrder, confirmed: false });
  };
  const halved = send.error instanceof Refusal && send.error.facts['field'] === 'confirmed';
  return (
    <DropFile
      act="Send a cost file"
      label={`Cost file for ${feed.name}`}
      accept=".csv,.parquet,.gz"
      hint={`or drop it here: FOCUS 1.0 to 1.2 as CSV or Parquet, costs of ${meter}${quantities ? ', and what was used' : ''}. What it states of a day takes the place of what was stated before. Files of one export are chosen together.`}
      many
      busy={send.isPending}
      onPick={pick}
    >
      {send.isPending && share > 0 && (
        <Box sx={{ mt: 1.5 }}>
          <LinearProgress variant="determinate" value={100 * share} aria-label="Sending" />
        </Box>
      )}
      {send.isError && (
        <Alert
          severity={halved ? 'warning' : 'error'}
          variant="outlined"
          sx={{ mt: 1.5 }}
          action={
            halved && (
              <Button onClick={() => send.mutate({ files, confirmed: true })}>Take it as it is</Button>
            )
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
    </DropFile>
  );
}

export function CostMeterDialog({ feed, onClose }: { feed: Feed; onClose: () => void }) {
  const queries = useQueryClient();
  const services = useQuery(servicesOptions);
  const now = useQuery(costMeterOptions(feed.path));
  const say = useToast();
  const meters = costMeters(services.data ?? []);
  if (!services.data || !now.data) return null;
  return (
    <EntryDialog
      title={`Costs that ${feed.name} states`}
      act="Say so"
      schema={z.object({ meter: z.string(), quantities: z.boolean(), estimates: z.boolean() })}
      initial={{
        meter: now.data.meter ?? '',
        quantities: now.data.quantities,
        estimates: now.data.estimates,
      }}
      save={async ({ meter, quantities, estimates }) => {
        const set = body(
          await api.PUT('/api/v1/feeds/cost-meter', {
            params: { query: { feed: feed.path } },
            body: {
              meter: meter || null,
              quantities: meter !== '' && quantities,
              estimates: meter !== '' && estimates,
            },
          }),
        );
        await queries.invalidateQueries({ queryKey: ['cost meter', feed.path] });
        if (set.without_times)
          say(`${counted(set.without_times, 'row')} came before their times were kept: send the files again`);
      }}
      onClose={onClose}
    >
      <TextInput name="meter" label="Meter" options={[['', 'none: it sends readings'], ...meters]} optional />
      <Remark>
        {meters.length
          ? 'A supplier’s cost files then come in by this feed, and customers pay what the rates on this meter put on top.'
          : 'Publish a service with a meter of a currency first, of unit micro-EUR: what customers pay goes by rates on it.'}
      </Remark>
      <CheckInput name="quantities" label="What they say was used counts as usage too" />
      <Remark>
        Where it counts, rules of kind say of which meter it is, and customers pay for it by the rates on that
        meter, beside what they pay of its cost: sell one of the two.
      </Remark>
      <CheckInput name="estimates" label="Days that are missing are estimated" />
      <Remark>
        A day that is over and that no file states yet then costs what the last whole one did, without credits
        and purchases. It is marked as estimated everywhere, and a file that states it takes its place.
      </Remark>
    </EntryDialog>
  );
}
