/** From where a feed is fetched: written, tried beside what the last hour would give, and set. */
import { Alert, Box, Button } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useFieldArray, useFormContext, useWatch } from 'react-hook-form';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import { type ServiceForm, servicesOptions } from '../catalogue/catalogue';
import { api, body } from '../shared/api';
import { DataTable } from '../shared/DataTable';
import { DateInput } from '../shared/DateInput';
import { momentName } from '../shared/dates';
import { formatCount, formatQuantity } from '../shared/decimal';
import { EntryDialog, Remark, TextInput, day, given, whole } from '../shared/form';
import { PickInput } from '../shared/PickInput';
import { formatUnit } from '../shared/units';
import type { Feed } from './metering';
import {
  COUNTED,
  KINDS,
  TOLD_IN,
  type Pull,
  type PullValues,
  type Tried,
  formOf,
  isMeasured,
  isOfServers,
  newQuery,
  valuesOf,
} from './pulls';

const labels = given('A label, as in instance');
const pairs = (hint: string) => z.string().check(z.regex(/^(\s*[^=,]+=[^=,]+(,|$))*$/, hint));
const schema = z.object({
  kind: z.string(),
  names: z.string(),
  endpoint: given('Its address, as in https://metrics.example:9090'),
  user: z.string(),
  secret: z.string(),
  starts_at: day('The first day'),
  step_seconds: whole,
  every_minutes: whole,
  settles_minutes: z.string().check(z.regex(/^\d{1,4}$/, 'A whole number of minutes')),
  queries: z.array(
    z.object({
      name: given('A name for it'),
      query: given('What is asked'),
      meter: given('What it measures'),
      unit: given('As in byte'),
      how: z.string(),
      resource: labels,
      owner: z.string(),
      account: z.string(),
      attributes: pairs('As in size=flavour, site=region'),
      phases: pairs('As in active=awake, shutoff=parked'),
    }),
  ),
});
const HOW = [
  ['counter', 'a counter: what it rose by'],
  ['level', 'a level: what it was'],
] as const;

export function PullDialog({ feed, pull, onClose }: { feed: Feed; pull: Pull; onClose: () => void }) {
  const queries = useQueryClient();
  const { session } = useSignedIn();
  const params = { query: { feed: feed.path } };
  const listed = () => queries.invalidateQueries({ queryKey: ['pull', feed.path] });
  return (
    <EntryDialog
      title={`From where ${feed.name} is fetched`}
      act="Fetch it from here on"
      schema={schema}
      initial={valuesOf(pull.pull, session.now)}
      save={async (values) => {
        body(
          await api.PUT('/api/v1/feeds/pull', {
            params,
            body: { version: pull.version, pull: formOf(values, pull.pull), secret: values.secret || null },
          }),
        );
        await listed();
      }}
      other={
        pull.kind
          ? {
              act: 'Fetch it no more',
              run: async () => {
                await api.DELETE('/api/v1/feeds/pull', { params });
                await listed();
              },
            }
          : undefined
      }
      onClose={onClose}
    >
      <Where kept={pull.has_secret} />
      <DateInput name="starts_at" label="From" columns={3} />
      <TextInput name="every_minutes" label="Look every" unit="min" columns={3} />
      <Rests />
      <Asked />
      <Trial feed={feed} pull={pull} />
    </EntryDialog>
  );
}

const PLACES: Record<string, { label: string; hint: string; secret: string }> = {
  prometheus: {
    label: 'Address of the metrics server',
    hint: 'The operator lists what may be called',
    secret: 'Token or password',
  },
  'openstack metrics': {
    label: 'Address of its identity service',
    hint: 'Ends with /v3; the operator lists what may be called',
    secret: 'Application credential, ID:SECRET',
  },
  'openstack servers': {
    label: 'Address of its identity service',
    hint: 'Ends with /v3; the operator lists what may be called',
    secret: 'Application credential, ID:SECRET',
  },
  directory: {
    label: 'Directory',
    hint: 'As the operator calls it, and a folder in it: drop/daily',
    secret: '',
  },
  'object store': {
    label: 'Address with bucket and prefix',
    hint: 'As in https://objects.example/deliveries/daily',
    secret: 'Secret key',
  },
};

/** What is asked, where, and how it is signed in to. */
function Where({ kept }: { kept: boolean }) {
  const kind = useWatch({ name: 'kind' }) as string;
  const { getValues, setValue } = useFormContext<PullValues>();
  /** Of files nothing is asked. */
  const chosen = (next: string) => {
    const asked = getValues('queries');
    const alike = isOfServers(next) === asked.every((each) => each.how === 'held');
    setValue('queries', !isMeasured(next) ? [] : asked.length && alike ? asked : [newQuery(next)]);
  };
  const { label, hint, secret } = PLACES[kind] ?? { label: 'Address', hint: '', secret: '' };
  const asksUser = kind === 'prometheus' || kind === 'object store';
  return (
    <>
      <TextInput name="kind" label="What is asked" options={KINDS} onTyped={chosen} />
      <TextInput name="endpoint" label={label} hint={hint} />
      {asksUser && (
        <TextInput
          name="user"
          label={kind === 'prometheus' ? 'User' : 'Access key'}
          columns={3}
          optional
          hint={kind === 'prometheus' ? 'Empty: the secret is a token' : 'Empty: unsigned'}
        />
      )}
      {secret && (
        <TextInput
          name="secret"
          label={secret}
          type="password"
          columns={asksUser ? 3 : 6}
          optional
          hint={kept ? 'Empty: the one that is kept' : 'Kept sealed, never shown'}
        />
      )}
      {isOfServers(kind) ? null : isMeasured(kind) ? (
        <TextInput name="step_seconds" label="Samples every" unit="s" columns={3} />
      ) : (
        <TextInput name="names" label="Files called" columns={3} hint="* stands for any text" />
      )}
    </>
  );
}

/** How long an hour or a file rests; servers are told as they are. */
function Rests() {
  const kind = useWatch({ name: 'kind' }) as string;
  return isOfServers(kind) ? null : (
    <TextInput name="settles_minutes" label="An hour or a file rests" unit="min" columns={3} />
  );
}

function Asked() {
  const services = useQuery(servicesOptions);
  const { fields, append, remove } = useFieldArray<PullValues, 'queries'>({ name: 'queries' });
  const kind = useWatch<PullValues, 'kind'>({ name: 'kind' });
  const { setValue } = useFormContext<PullValues>();
  const meters = (services.data ?? []).flatMap((service) => {
    const form = service.form as ServiceForm;
    return Object.entries(form.meters).map(
      ([slug, each]) => [`${form.service}/${slug}`, `${form.name}: ${each.name}`] as const,
    );
  });
  if (!isMeasured(kind))
    return (
      <Remark>
        Files are read as those that are sent to this feed: by its mapping, or as costs of a supplier.
      </Remark>
    );
  return (
    <>
      {fields.map((field, place) => (
        <Box
          key={field.id}
          sx={{
            gridColumn: '1 / -1',
            display: 'grid',
            gridTemplateColumns: 'repeat(6, minmax(0, 1fr))',
            gap: 2,
            borderLeft: 2,
            borderColor: 'divider',
            pl: 2,
          }}
        >
          <TextInput name={`queries.${place}.name`} label="Query" columns={2} />
          {isOfServers(kind) ? (
            <>
              <TextInput
                name={`queries.${place}.query`}
                label="Counts"
                columns={4}
                options={COUNTED}
                onTyped={(next) => setValue(`queries.${place}.unit`, TOLD_IN[next] ?? '')}
              />
              <PickInput name={`queries.${place}.meter`} label="Meter" columns={6} options={meters} />
              <Processors place={place} />
            </>
          ) : (
            <>
              <TextInput name={`queries.${place}.query`} label="In its language" columns={4} />
              <PickInput name={`queries.${place}.meter`} label="Meter" columns={3} options={meters} />
              <TextInput name={`queries.${place}.how`} label="Its numbers are" columns={3} options={HOW} />
              <TextInput name={`queries.${place}.unit`} label="Unit" columns={2} />
            </>
          )}
          <TextInput
            name={`queries.${place}.resource`}
            label="Resource, by labels"
            columns={4}
            hint="One, or several with commas"
          />
          <TextInput
            name={`queries.${place}.owner`}
            label="Owner, by label"
            columns={3}
            optional
            hint="Its value is organisation/project"
          />
          <TextInput
            name={`queries.${place}.account`}
            label="Account, by label"
            columns={3}
            optional
            hint="For rules of ownership"
          />
          <TextInput
            name={`queries.${place}.attributes`}
            label="Attributes, by labels"
            columns={4}
            optional
            hint={isOfServers(kind) ? 'As in size=flavor, site=zone' : 'As in size=flavour, site=region'}
          />
          {isOfServers(kind) && (
            <TextInput
              name={`queries.${place}.phases`}
              label="Phases, by status"
              columns={6}
              optional
              hint="As in active=awake, shutoff=parked; in a status without one it is not counted"
            />
          )}
          {fields.length > 1 && (
            <Box sx={{ gridColumn: 'span 2' }}>
              <Button onClick={() => remove(place)}>Take this query away</Button>
            </Box>
          )}
        </Box>
      ))}
      <Box sx={{ gridColumn: '1 / -1' }}>
        <Button onClick={() => append(newQuery(kind))}>One more query</Button>
      </Box>
    </>
  );
}

/** In what processors are told: as the meter calls them. */
function Processors({ place }: { place: number }) {
  const counted = useWatch<PullValues>({ name: `queries.${place}.query` });
  return counted === 'vcpus' ? (
    <TextInput name={`queries.${place}.unit`} label="Unit" columns={2} hint="As in vCPU" />
  ) : null;
}

/** Asks for the last hour with what is written, and shows what it would give. */
function Trial({ feed, pull }: { feed: Feed; pull: Pull }) {
  const { getValues, trigger } = useFormContext<PullValues>();
  const attempt = useMutation({
    mutationFn: async () => {
      // Of files nothing is asked: what is empty there is not wrong.
      if (!(await trigger(isMeasured(getValues('kind')) ? undefined : ['endpoint', 'starts_at'])))
        return null;
      const values = getValues();
      return body(
        await api.POST('/api/v1/feeds/pull/try', {
          params: { query: { feed: feed.path } },
          body: { pull: formOf(values, pull.pull), secret: values.secret || null },
        }),
      );
    },
  });
  return (
    <Box sx={{ gridColumn: '1 / -1' }}>
      <Button variant="outlined" loading={attempt.isPending} onClick={() => attempt.mutate()}>
        Try it
      </Button>
      {attempt.error && (
        <Alert severity="error" variant="outlined" sx={{ mt: 1.5 }}>
          {attempt.error.message}
        </Alert>
      )}
      {attempt.data && <Outcome tried={attempt.data} />}
    </Box>
  );
}

function Outcome({ tried }: { tried: Tried }) {
  if (!tried.reached)
    return (
      <Alert severity="error" variant="outlined" sx={{ mt: 1.5 }}>
        {`Not reached: ${tried.said}.`}
      </Alert>
    );
  return (
    <Box sx={{ mt: 1.5 }}>
      <Remark>
        {`Reached: ${tried.said}.`}
        {tried.count + tried.refused > 0 &&
          ` The last hour would give ${formatCount(tried.count)} readings; ${formatCount(tried.refused)} would be refused.`}
      </Remark>
      {tried.problems.map((each) => (
        <Remark key={each.line}>{`Refused: ${each.reason}`}</Remark>
      ))}
      {tried.readings.length > 0 && (
        <DataTable
          name="tried readings"
          label="What it would give"
          rows={tried.readings}
          rowKey={(row) => row.id}
          columns={[
            { key: 'resource', title: 'Resource', cell: (row) => row.resource },
            {
              key: 'quantity',
              title: 'Quantity',
              cell: (row) => `${formatQuantity(row.quantity)} ${formatUnit(row.unit, row.quantity)}`,
            },
            { key: 'from', title: 'From, UTC', whole: true, cell: (row) => momentName(row.start) },
            { key: 'whose', title: 'Whose', cell: (row) => row.owner ?? row.account ?? 'by rule' },
          ]}
        />
      )}
    </Box>
  );
}
