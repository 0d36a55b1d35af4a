/** Plans a move under another seller; what it would do is looked at with each seller and day. */
import { Autocomplete, TextField } from '@mui/material';
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { useController, useWatch } from 'react-hook-form';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import { type Organisation, organisationsOptions } from '../organisations/organisations';
import { DateInput } from '../shared/DateInput';
import { EntryDialog, Remark, TextInput, day, given } from '../shared/form';
import { Failed } from '../shared/States';
import { useToast } from '../shared/Toasts';
import { MoveTold } from './MoveTold';
import { lookedOptions, planMove, withdrawMove } from './moves';

const schema = z.object({
  to: given('Choose who sells to it then'),
  starts_on: day('A day to come'),
  reason: given('Say why: its people read it'),
});
type Values = z.infer<typeof schema>;
const SHOWN = 20;

export function MoveDialog({ organisation, onClose }: { organisation: Organisation; onClose: () => void }) {
  const queries = useQueryClient();
  const say = useToast();
  const save = async (values: Values) => {
    const planned = await planMove(organisation.slug, { ...values, check: false });
    await queries.invalidateQueries();
    say(`${organisation.name} is to move on ${values.starts_on}.`, () =>
      withdrawMove(organisation.slug, planned.id ?? ''),
    );
  };
  return (
    <EntryDialog
      title={`Move ${organisation.name} to another seller`}
      act="Plan the move"
      schema={schema}
      initial={{ to: '', starts_on: '', reason: '' }}
      save={save}
      onClose={onClose}
    >
      <SellerInput organisation={organisation} />
      <DateInput name="starts_on" label="From" columns={3} hint="The first day under the new seller" />
      <TextInput name="reason" label="Reason" columns={3} hint="Its own people read it" />
      <Looked organisation={organisation} />
    </EntryDialog>
  );
}

/** Who may sell to it: the resellers that one sees, and oneself where one sells. */
function SellerInput({ organisation }: { organisation: Organisation }) {
  const { field, fieldState } = useController<Values, 'to'>({ name: 'to' });
  const { session } = useSignedIn();
  const [typed, setTyped] = useState('');
  const search = useDeferredValue(typed.trim());
  const found = useQuery({
    ...organisationsOptions({ search, type: 'reseller', limit: SHOWN }),
    placeholderData: keepPreviousData,
  });
  const own = session.memberships
    .filter((each) => each.type === 'provider')
    .map(({ organisation: slug, name }) => ({ slug, name }))
    .filter((each) => each.name.toLowerCase().includes(search.toLowerCase()));
  const options = [...own, ...(found.data?.items ?? []).map(({ slug, name }) => ({ slug, name }))];
  const [chosen, setChosen] = useState<{ slug: string; name: string } | null>(null);
  return (
    <Autocomplete
      options={options.filter((each) => each.slug !== organisation.slug && each.slug !== organisation.parent)}
      filterOptions={(some) => some}
      value={chosen}
      getOptionKey={(each) => each.slug}
      getOptionLabel={(each) => each.name}
      isOptionEqualToValue={(left, right) => left.slug === right.slug}
      onChange={(_, next) => {
        setChosen(next);
        field.onChange(next?.slug ?? '');
      }}
      onBlur={field.onBlur}
      onInputChange={(_, text, reason) => setTyped(reason === 'input' ? text : '')}
      noOptionsText="No reseller has that in the name"
      sx={{ gridColumn: '1 / -1' }}
      renderInput={(props) => (
        <TextField
          {...props}
          inputRef={field.ref}
          label="New seller"
          required
          error={fieldState.invalid}
          helperText={fieldState.error?.message ?? 'Who sells to it and all below it from then on'}
        />
      )}
    />
  );
}

function Looked({ organisation }: { organisation: Organisation }) {
  const to = useWatch<Values, 'to'>({ name: 'to' });
  const starts_on = useWatch<Values, 'starts_on'>({ name: 'starts_on' });
  const looked = useQuery(lookedOptions(organisation.slug, to, starts_on));
  if (looked.isError) return <Failed error={looked.error} />;
  if (!looked.data)
    return (
      <Remark>
        Choose a seller and a day: what the move does, and what stands against it, is shown here.
      </Remark>
    );
  return <MoveTold move={looked.data} stale={looked.isPlaceholderData} />;
}
