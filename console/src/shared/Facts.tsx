/** Names, each with what there is to it. */
import { Box } from '@mui/material';
import type { ReactNode } from 'react';

export function Facts({ children }: { children: ReactNode }) {
  return (
    <Box
      component="dl"
      sx={{
        m: 0,
        display: 'grid',
        gridTemplateColumns: { xs: '1fr', sm: '128px minmax(0, 1fr)' },
        columnGap: 2,
        rowGap: { xs: 0, sm: 0.75 },
        fontSize: '0.9rem',
        '& dt': { color: 'text.secondary' },
        '& dd': { m: 0, mb: { xs: 1, sm: 0 }, overflowWrap: 'anywhere' },
      }}
    >
      {children}
    </Box>
  );
}

export function Fact({ title, children }: { title: string; children: ReactNode }) {
  return (
    <>
      <dt>{title}</dt>
      <dd>{children}</dd>
    </>
  );
}
