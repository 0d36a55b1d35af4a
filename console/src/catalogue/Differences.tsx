/** What differs between two versions, a sentence each. */
import { Box } from '@mui/material';
import type { Schemas } from '../shared/api';

export function Differences({ rows }: { rows: Schemas['DifferenceBody'][] }) {
  return (
    <Box component="ul" aria-label="Differences" sx={{ listStyle: 'none', m: 0, p: 0, maxWidth: 900 }}>
      {rows.map((row) => {
        const [where = '', what = ''] = row.words.split(/: (.*)/);
        return (
          <Box
            component="li"
            key={row.path}
            sx={{ py: 0.9, borderBottom: '1px solid', borderColor: 'hairline', fontSize: '0.88rem' }}
          >
            <Box component="span" sx={{ fontWeight: 560 }}>
              {where}
            </Box>
            {what && `: ${what}`}
          </Box>
        );
      })}
    </Box>
  );
}
