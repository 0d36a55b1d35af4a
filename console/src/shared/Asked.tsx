/** What somebody asked for: a line each in words, more to it below, and what can be done about it beside it. */
import { Box } from '@mui/material';
import type { ReactNode } from 'react';

export interface Asked {
  key: string;
  what: ReactNode;
  state: string;
  /** Said after the state. */
  after?: ReactNode;
  detail: ReactNode;
  acts: ReactNode;
}

export function AskedList({ items }: { items: readonly Asked[] }) {
  return (
    <Box component="ul" sx={{ m: 0, p: 0, listStyle: 'none', display: 'grid', gap: 1.5, fontSize: '0.9rem' }}>
      {items.map(({ key, what, state, after, detail, acts }) => (
        <Box
          component="li"
          key={key}
          sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'center' }}
        >
          <Box sx={{ flex: 1, minWidth: 240 }}>
            <Box>
              {what}
              <Box component="strong" sx={{ fontWeight: 600 }}>
                {state}
              </Box>
              {after}
            </Box>
            <Box sx={{ color: 'text.secondary' }}>{detail}</Box>
          </Box>
          {acts}
        </Box>
      ))}
    </Box>
  );
}
