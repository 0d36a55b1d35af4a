/** A page: a title that says what it answers, filters in one line, at most one main action, then the thing itself. */
import { Box, Typography } from '@mui/material';
import { useEffect, type ReactNode } from 'react';
import type { Current } from './current';
import { momentName } from './dates';

export function Page({
  title,
  lead,
  current,
  filters,
  action,
  children,
}: {
  title: string;
  lead?: ReactNode;
  /** How current the page's figures are; said where something newer waits. */
  current?: Current | undefined;
  filters?: ReactNode;
  action?: ReactNode;
  children: ReactNode;
}) {
  useEffect(() => {
    document.title = `${title} · Gradumen`;
  }, [title]);
  return (
    <Box sx={{ px: { xs: 2, md: 4 }, py: 3, maxWidth: 1500 }}>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'flex-start', mb: 2.5 }}>
        <Box sx={{ flex: '1 1 280px' }}>
          <Typography variant="h1">{title}</Typography>
          {lead && (
            <Typography variant="body2" component="div" sx={{ color: 'text.secondary', mt: 0.5 }}>
              {lead}
            </Typography>
          )}
          {current?.waiting && (
            <Typography variant="body2" role="status" sx={{ color: 'warning.main', mt: 0.5 }}>
              As of {momentName(current.as_of)} UTC: something newer is being counted.
            </Typography>
          )}
        </Box>
        {filters && (
          <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', alignItems: 'center' }}>{filters}</Box>
        )}
        {action}
      </Box>
      {children}
    </Box>
  );
}

/** A part of a page, set apart by a hairline and a heading. */
export function Section({
  title,
  aside,
  children,
}: {
  title: string;
  aside?: ReactNode;
  children: ReactNode;
}) {
  return (
    <Box
      component="section"
      sx={{ borderTop: '1px solid', borderColor: 'divider', pt: 1.5, mb: 4, minWidth: 0 }}
    >
      <Box sx={{ display: 'flex', alignItems: 'baseline', gap: 2, mb: 1 }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          {title}
        </Typography>
        {aside}
      </Box>
      {children}
    </Box>
  );
}
