/** What the parts of the form of a new customer share. */
import { IconButton } from '@mui/material';

export const COLUMNS = { display: 'grid', gridTemplateColumns: 'repeat(6, minmax(0, 1fr))', gap: 2, pt: 1 };

export function Remove({ what, onClick }: { what: string; onClick: () => void }) {
  return (
    <IconButton aria-label={`Take ${what} away`} size="small" onClick={onClick} sx={{ justifySelf: 'start' }}>
      <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
        <path d="M2 2l8 8M10 2l-8 8" stroke="currentColor" strokeWidth="1.6" />
      </svg>
    </IconButton>
  );
}
