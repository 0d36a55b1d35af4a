/** The frame of every page: navigation in the order of the work, who is signed in, light or dark. */
import {
  Box,
  Button,
  IconButton,
  Link,
  Tooltip,
  Typography,
  useColorScheme,
  useMediaQuery,
} from '@mui/material';
import { useQueryClient } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import { NavLink } from 'react-router';
import { api, setCsrf } from '../shared/api';
import { momentName } from '../shared/dates';
import { Mark } from '../shared/Mark';
import { type Right, rememberSignedIn, sessionOptions, useSignedIn } from '../access/session';

interface Entry {
  to: string;
  title: string;
  sellers?: boolean;
  right?: Right;
}

const GROUPS: { title: string | null; entries: Entry[] }[] = [
  {
    title: null,
    entries: [
      { to: '/', title: 'Overview' },
      { to: '/organisations', title: 'Organisations' },
    ],
  },
  {
    title: 'Catalogue',
    entries: [
      { to: '/plans', title: 'Plans' },
      { to: '/rate-cards', title: 'Rate cards' },
      { to: '/differences', title: 'Versions' },
      { to: '/margins', title: 'Price margins', sellers: true },
      { to: '/unpublished-changes', title: 'Unpublished changes', sellers: true, right: 'manage catalogue' },
      { to: '/estimate', title: 'Estimate' },
      { to: '/what-if', title: 'What if', sellers: true, right: 'manage catalogue' },
      { to: '/special-terms', title: 'Special terms', sellers: true },
    ],
  },
  {
    title: 'Metering',
    entries: [
      { to: '/usage', title: 'Usage' },
      { to: '/feeds', title: 'Feeds', sellers: true },
    ],
  },
  {
    title: 'Billing',
    entries: [
      { to: '/bill-runs', title: 'Bill runs', sellers: true },
      { to: '/invoices', title: 'Invoices' },
    ],
  },
  {
    title: 'Spend',
    entries: [
      { to: '/spend', title: 'Spend' },
      { to: '/earned', title: 'Month’s margin', sellers: true },
    ],
  },
  {
    title: 'People',
    entries: [
      { to: '/members', title: 'Members' },
      { to: '/record', title: 'Record' },
    ],
  },
];

function Navigation({ onChosen }: { onChosen: () => void }) {
  const { home, may } = useSignedIn();
  return (
    <Box component="nav" aria-label="Pages" sx={{ px: 1.5, flex: 1, overflow: 'auto' }}>
      {GROUPS.map((group) => (
        <Box key={group.title ?? 'first'} sx={{ mb: 0.75 }}>
          {group.title && (
            <Typography
              component="p"
              sx={{ px: 1.25, py: 0.25, fontSize: '0.74rem', color: 'text.secondary' }}
            >
              {group.title}
            </Typography>
          )}
          {group.entries
            .filter((entry) => !entry.sellers || home.type !== 'tenant')
            .filter((entry) => may(entry.right ?? 'read'))
            .map((entry) => (
              <Box
                component={NavLink}
                key={entry.to}
                to={entry.to}
                end={entry.to === '/'}
                onClick={onChosen}
                sx={{
                  display: 'block',
                  px: 1.25,
                  py: 0.35,
                  borderLeft: '2px solid transparent',
                  textDecoration: 'none',
                  fontSize: '0.88rem',
                  '&:hover': { bgcolor: 'action.hover' },
                  '&.active': { borderColor: 'primary.main', fontWeight: 620, color: 'primary.main' },
                }}
              >
                {entry.title}
              </Box>
            ))}
        </Box>
      ))}
    </Box>
  );
}

function Who() {
  const { session, home } = useSignedIn();
  const { mode, setMode, systemMode } = useColorScheme();
  const queries = useQueryClient();
  const dark = (mode === 'system' ? systemMode : mode) === 'dark';
  const signOut = async () => {
    await api.DELETE('/api/v1/session');
    setCsrf('');
    rememberSignedIn(false);
    queries.setQueryData(sessionOptions.queryKey, null);
    queries.removeQueries({ predicate: (query) => query.queryKey[0] !== sessionOptions.queryKey[0] });
  };
  return (
    <Box sx={{ p: 2, borderTop: '1px solid', borderColor: 'divider', fontSize: '0.8rem' }}>
      <Link component={NavLink} to="/account" color="inherit" underline="hover" sx={{ fontWeight: 620 }}>
        {session.name}
      </Link>
      <Box sx={{ color: 'text.secondary' }}>
        {home.role} of {home.name}
      </Box>
      <Box sx={{ color: 'text.secondary', mt: 0.5 }}>{momentName(session.now)} UTC</Box>
      <Box sx={{ display: 'flex', alignItems: 'center', mt: 1, ml: -0.75 }}>
        <Button onClick={() => void signOut()}>Sign out</Button>
        <Box sx={{ flex: 1 }} />
        <Tooltip title={dark ? 'Light' : 'Dark'}>
          <IconButton
            size="small"
            aria-label={dark ? 'Use the light theme' : 'Use the dark theme'}
            onClick={() => setMode(dark ? 'light' : 'dark')}
          >
            <svg width="18" height="18" viewBox="0 0 18 18" aria-hidden="true">
              <circle cx="9" cy="9" r="6" fill="none" stroke="currentColor" strokeWidth="1.5" />
              <path d="M9 3a6 6 0 0 1 0 12z" fill="currentColor" />
            </svg>
          </IconButton>
        </Tooltip>
      </Box>
    </Box>
  );
}

export function Shell({ children }: { children: ReactNode }) {
  const narrow = useMediaQuery('(max-width: 899px)');
  const [open, setOpen] = useState(false);
  const { home } = useSignedIn();
  const shown = !narrow || open;
  return (
    <Box sx={{ display: { xs: 'block', md: 'flex' }, minHeight: '100vh' }}>
      <Box
        component="header"
        sx={{
          width: { md: 212 },
          flexShrink: 0,
          display: 'flex',
          flexDirection: 'column',
          position: { md: 'sticky' },
          top: 0,
          height: { md: '100vh' },
          borderRight: { md: '1px solid' },
          borderBottom: { xs: '1px solid', md: 0 },
          borderColor: { xs: 'divider', md: 'divider' },
          bgcolor: 'background.paper',
        }}
      >
        <Box sx={{ display: 'flex', alignItems: 'center', gap: 1, px: 2.25, py: 1.75 }}>
          <Mark />
          <Box sx={{ flex: 1, minWidth: 0 }}>
            <Box sx={{ fontWeight: 660, letterSpacing: '-0.01em', fontSize: '1.02rem', lineHeight: 1.2 }}>
              Gradumen
            </Box>
            <Box sx={{ color: 'text.secondary', fontSize: '0.75rem' }}>{home.name}</Box>
          </Box>
          {narrow && (
            <Button aria-expanded={open} onClick={() => setOpen(!open)}>
              {open ? 'Close' : 'Pages'}
            </Button>
          )}
        </Box>
        {shown && <Navigation onChosen={() => setOpen(false)} />}
        {shown && <Who />}
      </Box>
      <Box component="main" sx={{ flex: 1, minWidth: 0 }}>
        {children}
      </Box>
    </Box>
  );
}
