/** The month that a page is about, kept in the address. */
import { MenuItem, TextField } from '@mui/material';
import { useSearchParams } from 'react-router';
import { useSignedIn } from './session';
import { periodName, periodsUpTo } from '../shared/dates';

/** The chosen month; by default `behind` months before the business date's. */
export function usePeriod(behind = 0): [string, (period: string) => void] {
  const { session } = useSignedIn();
  const [params, setParams] = useSearchParams();
  const fallback = periodsUpTo(session.now, behind + 1)[behind] ?? session.now.slice(0, 7);
  const set = (period: string) =>
    setParams(
      (before) => {
        before.set('period', period);
        return before;
      },
      { replace: true },
    );
  return [params.get('period') ?? fallback, set];
}

export function PeriodSelect({ value, onChange }: { value: string; onChange: (period: string) => void }) {
  const { session } = useSignedIn();
  const offered = periodsUpTo(session.now, 14);
  return (
    <TextField
      select
      label="Month"
      value={value}
      onChange={(event) => onChange(event.target.value)}
      sx={{ minWidth: 160 }}
    >
      {(offered.includes(value) ? offered : [value, ...offered]).map((period) => (
        <MenuItem key={period} value={period}>
          {periodName(period)}
        </MenuItem>
      ))}
    </TextField>
  );
}
