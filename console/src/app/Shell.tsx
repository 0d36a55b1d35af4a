/** The frame of every page: navigation in the order of the work, the bar on top, the tabs of a section. */
import { Box, Button, IconButton, Link, useColorScheme, useMediaQuery } from '@mui/material';
import { type ReactNode, Suspense, lazy, useState } from 'react';
import { NavLink, useLocation } from 'react-router';
import { useKept } from '../access/figures';
import { useSignOut, useSignedIn } from '../access/session';
import { momentName } from '../shared/dates';
import { Mark } from '../shared/Mark';
import { TopBar } from './TopBar';
import { type SectionEntry, pageAt, visible } from './pages';

const HeldBack = lazy(() => import('../access/HeldBack'));

function Navigation({ sections, onChosen }: { sections: SectionEntry[]; onChosen: () => void }) {
  const kept = useKept();
  const { pathname } = useLocation();
  const here = pageAt(pathname)?.to;
  return (
    <Box component="nav" aria-label="Pages" sx={{ px: 1.5, flex: 1, overflow: 'auto' }}>
      {sections.map(({ title, pages }) => {
        const active = pages.some((page) => page.to === here);
        return (
          <Box
            component={NavLink}
            key={title}
            to={kept(pages[0]?.to ?? '/')}
            onClick={onChosen}
            aria-current={active ? 'page' : undefined}
            sx={{
              display: 'block',
              px: 1.25,
              py: 0.8,
              borderLeft: '2px solid transparent',
              textDecoration: 'none',
              fontSize: '0.9rem',
              '&:hover': { bgcolor: 'action.hover' },
              ...(active && { borderColor: 'primary.main', fontWeight: 620, color: 'primary.main' }),
            }}
          >
            {title}
          </Box>
        );
      })}
    </Box>
  );
}

function Who() {
  const { session, home } = useSignedIn();
  const { mode, setMode, systemMode } = useColorScheme();
  const signOut = useSignOut();
  const dark = (mode === 'system' ? systemMode : mode) === 'dark';
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
        <IconButton
          size="small"
          aria-label={dark ? 'Use the light theme' : 'Use the dark theme'}
          title={dark ? 'Light' : 'Dark'}
          onClick={() => setMode(dark ? 'light' : 'dark')}
        >
          <svg width="18" height="18" viewBox="0 0 18 18" aria-hidden="true">
            <circle cx="9" cy="9" r="6" fill="none" stroke="currentColor" strokeWidth="1.5" />
            <path d="M9 3a6 6 0 0 1 0 12z" fill="currentColor" />
          </svg>
        </IconButton>
      </Box>
    </Box>
  );
}

/** What belongs together, as tabs of one entry; a section of one page has none. */
function SectionTabs({ sections }: { sections: SectionEntry[] }) {
  const kept = useKept();
  const { pathname } = useLocation();
  const here = pageAt(pathname)?.to;
  const section = sections.find(({ pages }) => pages.some((page) => page.to === here));
  if (!section || section.pages.length < 2) return null;
  return (
    <Box
      component="nav"
      aria-label={section.title}
      sx={{
        px: { xs: 1, md: 3 },
        display: 'flex',
        flexWrap: 'wrap',
        borderBottom: '1px solid',
        borderColor: 'divider',
      }}
    >
      {section.pages.map((page) => (
        <Box
          component={NavLink}
          key={page.to}
          to={kept(page.to)}
          end
          aria-current={page.to === here ? 'page' : undefined}
          sx={{
            px: 1.25,
            py: 1,
            mb: '-1px',
            textDecoration: 'none',
            fontSize: '0.86rem',
            borderBottom: '2px solid transparent',
            color: 'text.secondary',
            '&:hover': { color: 'text.primary' },
            ...(page.to === here && { borderColor: 'primary.main', color: 'primary.main', fontWeight: 620 }),
          }}
        >
          {page.title}
        </Box>
      ))}
    </Box>
  );
}

export function Shell({ children }: { children: ReactNode }) {
  const narrow = useMediaQuery('(max-width: 899px)');
  const [open, setOpen] = useState(false);
  const { home, may, session } = useSignedIn();
  const sections = visible(home.type === 'tenant', may);
  const shown = !narrow || open;
  return (
    <Box sx={{ display: { xs: 'block', md: 'flex' }, minHeight: '100vh' }}>
      <Box
        component="header"
        sx={{
          width: { md: 188 },
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
        <Box sx={{ display: 'flex', alignItems: 'center', gap: 1, px: 2.25, py: 1.5, mb: { md: 1 } }}>
          <Mark />
          <Box sx={{ flex: 1, fontWeight: 660, letterSpacing: '-0.01em', fontSize: '1.08rem' }}>Gradumen</Box>
          {narrow && (
            <Button aria-expanded={open} onClick={() => setOpen(!open)}>
              {open ? 'Close' : 'Pages'}
            </Button>
          )}
        </Box>
        {shown && <Navigation sections={sections} onChosen={() => setOpen(false)} />}
        {shown && <Who />}
      </Box>
      <Box sx={{ flex: 1, minWidth: 0 }}>
        <TopBar sections={sections} />
        <SectionTabs sections={sections} />
        {session.held_back.length > 0 && (
          <Suspense fallback={null}>
            <Box sx={{ px: { xs: 2, md: 4 }, pt: 2 }}>
              <HeldBack held={session.held_back} />
            </Box>
          </Suspense>
        )}
        <Box component="main">{children}</Box>
      </Box>
    </Box>
  );
}
