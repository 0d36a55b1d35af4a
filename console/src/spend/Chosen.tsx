/** What one has gone down into in spend; each can be taken away again. */
import { Box, Button } from '@mui/material';
import type { Dimension } from './spending';
import { useTitles } from './titles';

export function Chosen({
  organisation,
  only,
  onChange,
}: {
  organisation: string;
  only: string[];
  onChange: (only: string[]) => void;
}) {
  const titleOf = useTitles(organisation);
  if (!only.length) return null;
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1, mb: 2 }}>
      {only.map((each) => {
        const [dimension = '', value = ''] = each.split(/:(.*)/);
        const title = titleOf(dimension as Dimension);
        return (
          <Button
            key={each}
            variant="outlined"
            aria-label={`Take away ${title}: ${value || 'none'}`}
            onClick={() => onChange(only.filter((other) => other !== each))}
          >
            {title}: {value || 'none'} ×
          </Button>
        );
      })}
    </Box>
  );
}
