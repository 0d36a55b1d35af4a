/** For whom alone something is, of those below: nobody is for all. */
import { Autocomplete, TextField } from '@mui/material';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { useController } from 'react-hook-form';
import { organisationOptions, organisationsOptions } from './organisations';

const SHOWN = 20;

export function SetAsideInput({ owner }: { owner: string }) {
  const { field, fieldState } = useController<{ set_aside_for: string }>({ name: 'set_aside_for' });
  const [typed, setTyped] = useState('');
  const search = useDeferredValue(typed.trim());
  const found = useQuery({
    ...organisationsOptions({ search, limit: SHOWN }),
    placeholderData: keepPreviousData,
  });
  const known = useQuery({ ...organisationOptions(field.value), enabled: field.value !== '' });
  const chosen = field.value ? (known.data ?? { slug: field.value, name: field.value }) : null;
  return (
    <Autocomplete
      options={(found.data?.items ?? []).filter((each) => each.slug !== owner)}
      filterOptions={(some) => some}
      value={chosen as { slug: string; name: string } | null}
      getOptionKey={(each) => each.slug}
      getOptionLabel={(each) => each.name}
      isOptionEqualToValue={(left, right) => left.slug === right.slug}
      onChange={(_, next) => field.onChange(next?.slug ?? '')}
      onBlur={field.onBlur}
      onInputChange={(_, text, reason) => setTyped(reason === 'input' ? text : '')}
      noOptionsText="Nobody has that in the name"
      sx={{ gridColumn: '1 / -1' }}
      renderInput={(params) => (
        <TextField
          {...params}
          label="Set aside for"
          placeholder="all that buy from you"
          error={fieldState.invalid}
          helperText={fieldState.error?.message ?? 'With all below it; others do not know of it'}
          slotProps={{ ...params.slotProps, inputLabel: { shrink: true } }}
        />
      )}
    />
  );
}
