/** Of which services a member orders and sells plans: all, or some. */
import { Checkbox, FormControlLabel } from '@mui/material';
import { OwnInput } from './form';
import { useServiceNames } from './services';
import { SomeOf } from './SomeOf';

export function ServicesInput({ name, of }: { name: string; of?: readonly string[] }) {
  const known = [...useServiceNames()].filter(([slug]) => !of || of.includes(slug));
  return (
    <OwnInput<string[] | null> name={name}>
      {(value, onChange) => (
        <>
          <FormControlLabel
            label="Orders plans of some services only"
            control={
              <Checkbox
                checked={value !== null}
                onChange={(event) => onChange(event.target.checked ? [] : null)}
              />
            }
          />
          {value !== null && <SomeOf label="Services" options={known} chosen={value} onChange={onChange} />}
        </>
      )}
    </OwnInput>
  );
}
