/** The frame of pages for people who may not be signed in. */
import { Box, Paper, Typography } from '@mui/material';
import { type ReactNode, useEffect } from 'react';
import { Contours, Mark } from '../shared/Mark';

export function Outside({
  title,
  wide,
  onSubmit,
  children,
}: {
  title: string;
  wide?: boolean;
  onSubmit?: () => void;
  children: ReactNode;
}) {
  useEffect(() => {
    document.title = `${title} · Gradumen`;
  }, [title]);
  return (
    <Box
      component="main"
      sx={{
        minHeight: '100vh',
        display: 'grid',
        gridTemplateColumns: 'minmax(0, 1fr)',
        placeItems: 'center',
        p: 2,
      }}
    >
      <Contours />
      <Paper
        component="form"
        noValidate
        onSubmit={(event) => {
          event.preventDefault();
          onSubmit?.();
        }}
        sx={{
          position: 'relative',
          width: wide ? 560 : 380,
          maxWidth: '100%',
          p: 4,
          border: '1px solid',
          borderColor: 'divider',
        }}
      >
        <Box sx={{ display: 'flex', alignItems: 'center', gap: 1.25, mb: 3 }}>
          <Mark size={34} />
          <Typography variant="h1">{title}</Typography>
        </Box>
        <Box sx={{ display: 'grid', gap: 2 }}>{children}</Box>
      </Paper>
    </Box>
  );
}
