/** A filter that is one of a few, or none. */
import { MenuItem, TextField } from '@mui/material';

export function FilterChoice(props: {
  label: string;
  value: string;
  onChange: (value: string) => void;
  /** What is shown for none, and each value with what people call it. */
  none: string;
  options: readonly (readonly [string, string])[];
}) {
  const { label, value, onChange, none, options } = props;
  return (
    <TextField
      select
      label={label}
      slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
      value={value}
      sx={{ minWidth: 120 }}
      onChange={(event) => onChange(event.target.value)}
    >
      <MenuItem value="">{none}</MenuItem>
      {options.map(([key, title]) => (
        <MenuItem key={key} value={key}>
          {title}
        </MenuItem>
      ))}
    </TextField>
  );
}
