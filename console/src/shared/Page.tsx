/** A page: a title that says what it answers, filters in one line, at most one main action, then the thing itself. */
import { Box, Link, Typography } from '@mui/material';
import { createContext, use, useEffect, type ReactNode } from 'react';
import { Link as RouterLink } from 'react-router';
import type { Current } from './current';
import { momentName } from './dates';

/** Within another page, a page is one of its tabs: it has its filters and figures, and no title of its own. */
export const Within = createContext(false);

export interface Crumb {
  to: string;
  title: string;
}

export function Page({
  title,
  crumbs = [],
  lead,
  current,
  filters,
  action,
  children,
}: {
  title: string;
  /** What this is under, outermost first. */
  crumbs?: Crumb[];
  lead?: ReactNode;
  /** How current the page's figures are; said where something newer waits. */
  current?: Current | undefined;
  filters?: ReactNode;
  action?: ReactNode;
  children: ReactNode;
}) {
  const within = use(Within);
  useEffect(() => {
    if (!within) document.title = `${title} · Gradumen`;
  }, [title, within]);
  if (within)
    return (
      <Box sx={{ pt: 2 }}>
        <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1.5, alignItems: 'center', mb: 2 }}>
          {filters}
          <Box sx={{ flex: 1, fontSize: '0.84rem', color: 'text.secondary' }}>
            {lead}
            {current && <AsOf current={current} />}
          </Box>
          {action}
        </Box>
        {children}
      </Box>
    );
  return (
    <Box sx={{ px: { xs: 2, md: 4 }, py: 3, maxWidth: 1500 }}>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'flex-start', mb: 2.5 }}>
        <Box sx={{ flex: '1 1 280px', minWidth: 0 }}>
          <Crumbs crumbs={crumbs} />
          <Typography variant="h1">{title}</Typography>
          {lead && (
            <Typography variant="body2" component="div" sx={{ color: 'text.secondary', mt: 0.5 }}>
              {lead}
            </Typography>
          )}
          {current && <AsOf current={current} />}
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

function AsOf({ current }: { current: Current }) {
  if (!current.waiting) return null;
  return (
    <Typography variant="body2" role="status" sx={{ color: 'warning.main', mt: 0.5 }}>
      As of {momentName(current.as_of)} UTC: something newer is being counted.
    </Typography>
  );
}

function Crumbs({ crumbs }: { crumbs: Crumb[] }) {
  if (!crumbs.length) return null;
  return (
    <Box
      component="nav"
      aria-label="Where this is"
      sx={{ fontSize: '0.8rem', color: 'text.secondary', mb: 0.25 }}
    >
      {crumbs.map(({ to, title }) => (
        <span key={to}>
          <Link component={RouterLink} to={to} color="inherit" underline="hover">
            {title}
          </Link>
          {' › '}
        </span>
      ))}
    </Box>
  );
}

/** A part of a page, set apart by a hairline and a heading. */
export function Section({
  id,
  title,
  aside,
  children,
}: {
  id?: string;
  title: string;
  aside?: ReactNode;
  children: ReactNode;
}) {
  return (
    <Box
      component="section"
      id={id}
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
