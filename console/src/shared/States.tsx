/** The states of a view besides filled: failed with a way on, loading, empty with the reason and the next step. */
import { Alert, Box, Button, Skeleton, Typography } from '@mui/material';
import type { UseQueryResult } from '@tanstack/react-query';
import type { ReactNode } from 'react';

export function Failed({ error, retry }: { error: Error; retry?: () => void }) {
  return (
    <Alert
      severity="error"
      variant="outlined"
      action={
        retry && (
          <Button color="inherit" onClick={retry}>
            Try again
          </Button>
        )
      }
    >
      {error.message}
    </Alert>
  );
}

export function Loading({ rows = 8 }: { rows?: number }) {
  return (
    <Box role="status" aria-label="loading">
      {Array.from({ length: rows }, (_, index) => (
        <Skeleton key={index} height={36} animation="wave" />
      ))}
    </Box>
  );
}

export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <Box sx={{ py: 5, px: 2, textAlign: 'center', color: 'text.secondary' }}>
      <Typography variant="h3" component="p" sx={{ color: 'text.primary', mb: 0.5 }}>
        {title}
      </Typography>
      <Typography variant="body2" component="div">
        {children}
      </Typography>
    </Box>
  );
}

/** Draws what a query has become. */
export function Query<T>({
  query,
  rows,
  children,
}: {
  query: UseQueryResult<T>;
  rows?: number;
  children: (data: T) => ReactNode;
}) {
  if (query.isError) return <Failed error={query.error} retry={() => void query.refetch()} />;
  if (query.data === undefined) return <Loading rows={rows} />;
  return <>{children(query.data)}</>;
}
