/** The state of an organisation where it is not active: a shape and a word. */
import { Box } from '@mui/material';

const COLOURS: Record<string, string> = {
  proposed: 'text.secondary',
  suspended: 'warning.main',
  closing: 'warning.main',
  closed: 'text.secondary',
};

export function StateMark({ state }: { state: string }) {
  if (state === 'active') return null;
  return (
    <Box
      component="span"
      sx={{
        color: COLOURS[state],
        border: '1px solid',
        borderColor: 'currentColor',
        borderRadius: '3px',
        px: 0.75,
        ml: 0.75,
        fontSize: '0.75rem',
        lineHeight: 1.5,
        whiteSpace: 'nowrap',
      }}
    >
      {state}
    </Box>
  );
}
