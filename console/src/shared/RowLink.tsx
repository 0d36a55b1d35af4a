/** What a row opens, as a link in it: to open beside this page, or to copy. A plain click is the row's own. */
import { Box } from '@mui/material';
import type { ReactNode } from 'react';

export function RowLink({ to, children }: { to: string; children: ReactNode }) {
  return (
    <Box
      component="a"
      href={to}
      // The row itself is what the keyboard reaches.
      tabIndex={-1}
      onClick={(event) => {
        if (event.ctrlKey || event.metaKey || event.shiftKey) event.stopPropagation();
        else event.preventDefault();
      }}
      sx={{ color: 'inherit', textDecoration: 'none', '&:hover': { textDecoration: 'underline' } }}
    >
      {children}
    </Box>
  );
}
