/** One of many, found by typing a part of its code or name. */
import { Autocomplete, TextField } from '@mui/material';
import { useController } from 'react-hook-form';

export function PickInput(props: {
  name: string;
  label: string;
  options: readonly (readonly [string, string])[];
  columns?: number;
  hint?: string;
  /** It may be left empty. */
  free?: boolean;
}) {
  const { name, label, options, columns = 6, hint, free } = props;
  const { field, fieldState } = useController({ name });
  const chosen = options.find(([code]) => code === field.value) ?? null;
  return (
    <Autocomplete
      options={options}
      value={chosen}
      autoHighlight
      disableClearable={chosen !== null && !free}
      getOptionKey={([code]) => code}
      getOptionLabel={([code, title]) =>
        code === title || code.includes('/') ? title : `${title} (${code})`
      }
      isOptionEqualToValue={(left, right) => left[0] === right[0]}
      onChange={(_, next) => field.onChange(next?.[0] ?? '')}
      onBlur={field.onBlur}
      sx={{ gridColumn: { xs: '1 / -1', sm: `span ${columns}` } }}
      renderInput={(given) => (
        <TextField
          {...given}
          inputRef={field.ref}
          label={label}
          required={!free}
          error={fieldState.invalid}
          helperText={fieldState.error?.message ?? hint}
        />
      )}
    />
  );
}
