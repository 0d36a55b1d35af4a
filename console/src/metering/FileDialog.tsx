/** A file in the shape of whoever wrote it: its columns are mapped, beside what it would give, and it is sent. */
import { Alert, Autocomplete, Box, TextField } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useController, useFormContext, useWatch } from 'react-hook-form';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import { type ServiceForm, servicesOptions } from '../catalogue/catalogue';
import { DataTable } from '../shared/DataTable';
import { momentName } from '../shared/dates';
import { formatQuantity } from '../shared/decimal';
import { EntryDialog, OwnInput, Remark, TextInput } from '../shared/form';
import { PickInput } from '../shared/PickInput';
import { useSettled } from '../shared/settled';
import { SomeOf } from '../shared/SomeOf';
import { Query } from '../shared/States';
import { counted, formatUnit } from '../shared/units';
import {
  type Chosen,
  LASTS,
  type Look,
  type Mapping,
  type MappingValues,
  columnOf,
  lookOptions,
  mappingOf,
  mappingOptions,
  saveMapping,
  sendFile,
  valuesOf,
} from './fileMappings';
import type { Feed } from './metering';

export type FileSent = Awaited<ReturnType<typeof sendFile>>;

const schema = z.object({
  quantity: z.string(),
  unit: z.string(),
  meter: z.string(),
  stands: z.array(z.object({ text: z.string(), meter: z.string() })),
  resource: z.string(),
  start: z.string(),
  end: z.string(),
  lasts: z.string(),
  owner: z.string(),
  account: z.string(),
  identity: z.array(z.string()),
  times: z.string(),
  zone: z.string(),
  decimal: z.string(),
});

interface Props {
  feed: Feed;
  file: Chosen;
  onSent: (sent: FileSent) => void;
  onClose: () => void;
}

export function FileDialog(props: Props) {
  const { feed, file } = props;
  const saved = useQuery(mappingOptions(feed.path));
  const bare = useQuery({
    ...lookOptions(feed.path, file, saved.data?.mapping ?? null),
    enabled: saved.isSuccess,
  });
  if (!saved.data || !bare.data)
    return bare.isError || saved.isError ? (
      <Alert severity="error" variant="outlined" onClose={props.onClose} sx={{ mt: 1.5 }}>
        {(bare.error ?? saved.error)?.message}
      </Alert>
    ) : null;
  return <Mapped {...props} before={saved.data.mapping} version={saved.data.version} look={bare.data} />;
}

function Mapped(props: Props & { before: Mapping | null; version: number; look: Look }) {
  const { feed, file, before, version, look, onSent, onClose } = props;
  const { home, mayAt } = useSignedIn();
  const queries = useQueryClient();
  const keeps = mayAt('manage feeds', home.organisation);
  const save = async (values: MappingValues) => {
    const mapping = mappingOf(values, before, look);
    if (!mapping) throw new Error('Say at least what the quantity, its unit, meter, resource and start are.');
    if (keeps) await saveMapping(feed.path, version, mapping);
    await queries.invalidateQueries({ queryKey: ['file mapping', feed.path] });
    onSent(await sendFile(feed.path, file, mapping));
  };
  return (
    <EntryDialog
      title={`${file.name}, ${counted(look.count, 'row')}`}
      act={keeps ? 'Keep this mapping and send' : 'Send'}
      schema={schema}
      initial={valuesOf(look, before)}
      save={save}
      onClose={onClose}
    >
      {look.guess?.doubts.map((doubt) => (
        <Remark key={doubt}>{doubt.charAt(0).toUpperCase() + doubt.slice(1)}.</Remark>
      ))}
      <Fields look={look} />
      <Given feed={feed} file={file} before={before} look={look} />
    </EntryDialog>
  );
}

function Fields({ look }: { look: Look }) {
  const services = useQuery(servicesOptions);
  const { control, getValues, setValue } = useFormContext<MappingValues>();
  const [meter, end, stands] = useWatch({ control, name: ['meter', 'end', 'stands'] });
  const example = (column: string) => look.rows.map(({ cells }) => cells[column]).find(Boolean) ?? '';
  const columns = look.columns.map((each) => [each, `${each}, as ${example(each) || 'empty'}`] as const);
  const isResource = (column: string) => {
    const told = getValues('identity');
    if (!told.includes(column)) setValue('identity', [column, ...told]);
  };
  const isQuantity = (column: string) => {
    if (/^\d+,\d+$/.test(example(column))) setValue('decimal', ',');
  };
  const none = [['', 'none'] as const, ...columns];
  return (
    <Query query={services}>
      {(found) => {
        const meters = found.flatMap((service) => {
          const form = service.form as ServiceForm;
          return Object.entries(form.meters).map(
            ([slug, each]) => [`${form.service}/${slug}`, `${form.name}: ${each.name}`] as const,
          );
        });
        return (
          <>
            <TextInput name="quantity" label="Quantity" columns={3} options={columns} onTyped={isQuantity} />
            <SaidInput name="unit" label="Its unit" columns={look.columns} hint="A column, or one for all" />
            <PickInput
              name="meter"
              label="Meter"
              options={[...look.columns.map((each) => [`[${each}]`, `column ${each}`] as const), ...meters]}
            />
            {columnOf(meter) !== null &&
              stands.map((each, place) => (
                <PickInput
                  key={each.text}
                  name={`stands.${place}.meter`}
                  label={`“${each.text}” is`}
                  columns={3}
                  options={meters}
                  free
                />
              ))}
            <TextInput name="resource" label="Resource" columns={3} options={columns} onTyped={isResource} />
            <SaidInput
              name="owner"
              label="Whose it is"
              columns={look.columns}
              hint="Organisation/project; empty: by rule"
            />
            <TextInput name="start" label="Starts" columns={2} options={columns} />
            <TextInput name="end" label="Ends" columns={2} options={none} optional />
            {!end && (
              <TextInput
                name="lasts"
                label="A row lasts"
                columns={2}
                options={LASTS.map((each) => [each, each] as const)}
              />
            )}
            <TextInput
              name="times"
              label="Times are written"
              columns={2}
              optional
              hint="Like %d/%m/%Y %H:%M; empty: ISO 8601"
            />
            <TextInput name="zone" label="In the zone" columns={2} hint="Where they say none" />
            <TextInput
              name="decimal"
              label="Decimals after"
              columns={2}
              options={[
                ['.', 'a point'],
                [',', 'a comma'],
              ]}
            />
            <SaidInput name="account" label="Account" columns={look.columns} hint="For rules of ownership" />
            <OwnInput<string[]> name="identity">
              {(value, onChange) => (
                <Box sx={{ gridColumn: '1 / -1', fontSize: '0.88rem' }}>
                  A row is told from all others by
                  <SomeOf
                    label="Told apart by"
                    options={look.columns.map((each) => [each, each] as const)}
                    chosen={value}
                    onChange={onChange}
                  />
                </Box>
              )}
            </OwnInput>
          </>
        );
      }}
    </Query>
  );
}

/** A column, in brackets, or a text that is the same for all rows. */
function SaidInput(props: { name: string; label: string; columns: readonly string[]; hint: string }) {
  const { name, label, columns, hint } = props;
  const { field } = useController({ name });
  return (
    <Autocomplete
      freeSolo
      options={columns.map((each) => `[${each}]`)}
      inputValue={String(field.value)}
      onInputChange={(_, next) => field.onChange(next)}
      sx={{ gridColumn: { xs: '1 / -1', sm: 'span 3' } }}
      renderInput={(given) => <TextField {...given} inputRef={field.ref} label={label} helperText={hint} />}
    />
  );
}

/** What the file would give by what is written. */
function Given(props: { feed: Feed; file: Chosen; before: Mapping | null; look: Look }) {
  const { feed, file, before, look } = props;
  const { control } = useFormContext<MappingValues>();
  const values = JSON.parse(useSettled(JSON.stringify(useWatch({ control })))) as MappingValues;
  const mapping = mappingOf(values, before, look);
  const found = useQuery({ ...lookOptions(feed.path, file, mapping), enabled: mapping !== null });
  if (!mapping)
    return (
      <Remark>Say what the quantity, its unit, meter, resource and start are to see what it gives.</Remark>
    );
  if (found.isError)
    return (
      <Alert severity="error" variant="outlined" sx={{ gridColumn: '1 / -1' }}>
        {found.error.message}
      </Alert>
    );
  if (!found.data) return null;
  const { readings, given, refused, problems, count } = found.data;
  return (
    <Box sx={{ gridColumn: '1 / -1', minWidth: 0 }} aria-busy={found.isFetching}>
      <Alert severity={refused ? 'warning' : 'success'} variant="outlined" sx={{ mb: 1 }}>
        {counted(count, 'row')} give {counted(given, 'reading')}
        {refused > 0 && `; ${counted(refused, 'line')} cannot be read: ${problems[0]?.reason}`}
      </Alert>
      <DataTable
        name="file readings"
        label="First readings"
        rows={readings.slice(0, 5)}
        rowKey={(row) => row.id}
        columns={[
          { key: 'resource', title: 'Resource', cell: (row) => row.resource },
          { key: 'meter', title: 'Meter', cell: (row) => row.meter },
          {
            key: 'quantity',
            title: 'Quantity',
            number: true,
            cell: (row) => `${formatQuantity(row.quantity)} ${formatUnit(row.unit, row.quantity)}`,
          },
          { key: 'start', title: 'From, UTC', whole: true, cell: (row) => momentName(row.start) },
          { key: 'end', title: 'To, UTC', whole: true, cell: (row) => momentName(row.end) },
        ]}
      />
    </Box>
  );
}
