/** A thin bar for a share of a whole; beyond the whole it changes shape and says so. */
import { Box } from '@mui/material';

export function Bar({
  value,
  tone = 'neutral',
  label,
}: {
  value: number;
  tone?: 'neutral' | 'quota';
  label: string;
}) {
  const over = value > 1;
  const near = tone === 'quota' && value >= 0.9;
  const color = over ? 'error.main' : near ? 'warning.main' : tone === 'quota' ? 'primary.main' : 'neutral';
  return (
    <Box
      role="img"
      aria-label={label}
      sx={{
        height: 8,
        bgcolor: 'contour',
        minWidth: 60,
        position: 'relative',
        border: '1px solid',
        borderColor: 'hairline',
      }}
    >
      <Box sx={{ height: '100%', width: `${Math.min(100, Math.max(0, value * 100))}%`, bgcolor: color }} />
    </Box>
  );
}
