/** Some of several sites. */
import { Box, Checkbox, FormControlLabel } from '@mui/material';

export function SiteChoice(props: {
  sites: readonly (readonly [string, string])[];
  chosen: string[];
  /** All of them, whatever is chosen. */
  all?: boolean;
  onChange: (chosen: string[]) => void;
}) {
  const { sites, chosen, all = false, onChange } = props;
  return (
    <Box role="group" aria-label="Sites" sx={{ display: 'flex', flexWrap: 'wrap', gap: 1 }}>
      {sites.map(([key, name]) => (
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
