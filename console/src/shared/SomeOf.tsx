/** Some of several. */
import { Box, Checkbox, FormControlLabel } from '@mui/material';

export function SomeOf(props: {
  label: string;
  options: readonly (readonly [string, string])[];
  chosen: string[];
  /** All of them, whatever is chosen. */
  all?: boolean;
  onChange: (chosen: string[]) => void;
}) {
  const { label, options, chosen, all = false, onChange } = props;
  return (
    <Box role="group" aria-label={label} sx={{ display: 'flex', flexWrap: 'wrap', gap: 1 }}>
      {options.map(([key, name]) => (
        <FormControlLabel
          key={key}
          label={name}
          disabled={all}
          control={
            <Checkbox
              checked={all || chosen.includes(key)}
              onChange={(event) =>
                onChange(event.target.checked ? [...chosen, key] : chosen.filter((each) => each !== key))
              }
            />
          }
        />
      ))}
    </Box>
  );
}
