/** The bar on top: whose figures, which month, and a way to jump to anything by name. */
import { Box, Button, IconButton } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { type ReactNode, Suspense, lazy, useEffect, useState } from 'react';
import { useLocation, useMatch } from 'react-router';
import { useChooseWhose, usePeriod, useWhose } from '../access/figures';
import { Notices } from '../access/Notices';
import { useSignedIn } from '../access/session';
import { organisationOptions } from '../organisations/organisations';
import { Refusal } from '../shared/api';
import { periodName, periodsFrom } from '../shared/dates';
import { type SectionEntry, pageAt } from './pages';

const WhosePicker = lazy(() => import('./WhosePicker'));
const MonthPicker = lazy(() => import('./MonthPicker'));
const JumpBox = lazy(() => import('./JumpBox'));

export function TopBar({ sections }: { sections: SectionEntry[] }) {
  const { pathname } = useLocation();
  const detail = useMatch('/organisations/:slug/:tab?');
  // A tab of an organisation follows the bar as the page of the same name does.
  const page = pageAt(detail ? `/${detail.params.tab}` : pathname);
  const whose = detail ? 'anybody' : page?.whose;
  return (
    <Box
      component="section"
      aria-label="Whose figures and which month"
      sx={{
        px: { xs: 2, md: 4 },
        py: 1,
        minHeight: 52,
        display: 'flex',
        flexWrap: 'wrap',
        alignItems: 'center',
        gap: 1,
        borderBottom: '1px solid',
        borderColor: 'divider',
        bgcolor: 'background.paper',
      }}
    >
      <Whose within={whose ?? null} />
      {page?.month && <Month any={page.month === 'any'} behind={page.behind ?? 0} />}
      <Box sx={{ flex: 1 }} />
      <Notices />
      <Jump sections={sections} />
    </Box>
  );
}

/** A button that looks like what it is: a choice that stands, with the word before it. */
function Choice(props: {
  before?: string;
  after?: string;
  onClick: (on: HTMLElement) => void;
  children: ReactNode;
}) {
  const { before, after, onClick, children } = props;
  return (
    <Button
      variant="outlined"
      color="inherit"
      size="medium"
      aria-haspopup="dialog"
      onClick={(event) => onClick(event.currentTarget)}
      sx={{ borderColor: 'divider', py: 0.35, gap: 0.75, minWidth: 0, maxWidth: '100%' }}
    >
      {before && <Faint>{before}</Faint>}
      <Box
        component="span"
        sx={{ fontWeight: 620, overflow: 'hidden', textOverflow: 'ellipsis', whiteSpace: 'nowrap' }}
      >
        {children}
      </Box>
      {after && <Faint narrow>{after}</Faint>}
      <Faint hidden>▾</Faint>
    </Button>
  );
}

function Faint({ children, narrow, hidden }: { children: ReactNode; narrow?: boolean; hidden?: boolean }) {
  return (
    <Box
      component="span"
      aria-hidden={hidden}
      sx={{
        color: 'text.secondary',
        fontWeight: 400,
        whiteSpace: 'nowrap',
        display: narrow ? { xs: 'none', sm: 'inline' } : undefined,
      }}
    >
      {children}
    </Box>
  );
}

/** Whose figures: of anybody one sees, of one's own organisations where a page is about these, or oneself. */
function Whose({ within }: { within: 'anybody' | 'own' | null }) {
  const { session, home } = useSignedIn();
  const whose = useWhose();
  const choose = useChooseWhose();
  const [at, setAt] = useState<HTMLElement | null>(null);
  const other = within === 'anybody' && whose !== home.organisation;
  const { data: named, error } = useQuery({ ...organisationOptions(whose), enabled: other });
  const name = other ? (named?.name ?? whose) : home.name;
  const several = session.memberships.length > 1;
  const sells = session.memberships.some((each) => each.type !== 'tenant');
  if (other && error instanceof Refusal && error.status === 404)
    return (
      <>
        <Box component="span">You have no access to {whose}.</Box>
        <Button variant="outlined" onClick={() => choose(home.organisation)}>
          Back to {home.name}
        </Button>
      </>
    );
  if (!(within === 'anybody' ? sells || several : within === 'own' && several))
    return <Box sx={{ fontWeight: 620, py: 0.5 }}>{home.name}</Box>;
  const seller = other ? (named?.children ?? 0) > 0 : home.type !== 'tenant';
  return (
    <>
      <Choice
        before="for"
        {...(within === 'anybody' && seller ? { after: 'and all below' } : {})}
        onClick={setAt}
      >
        {name}
      </Choice>
      {at && (
        <Suspense fallback={null}>
          <WhosePicker
            at={at}
            onClose={() => setAt(null)}
            own={within === 'own'}
            onChosen={(slug) => {
              setAt(null);
              choose(slug);
            }}
          />
        </Suspense>
      )}
    </>
  );
}

/** Which month; where a page shows all, one of them or any. */
function Month({ any, behind }: { any: boolean; behind: number }) {
  const { session } = useSignedIn();
  const [period, set] = usePeriod(behind);
  const { search } = useLocation();
  const [at, setAt] = useState<HTMLElement | null>(null);
  const all = any && !new URLSearchParams(search).get('period');
  const last = session.now.slice(0, 7);
  const choose = (next: string) => {
    setAt(null);
    set(next);
  };
  const beside = (by: number) => periodsFrom(period, by);
  return (
    <Box sx={{ display: 'flex', alignItems: 'center' }}>
      {!all && (
        <IconButton size="small" aria-label="The month before" onClick={() => set(beside(-1))}>
          ‹
        </IconButton>
      )}
      <Choice onClick={setAt}>{all ? 'All months' : periodName(period)}</Choice>
      {!all && (
        <IconButton
          size="small"
          aria-label="The month after"
          disabled={period >= last}
          onClick={() => set(beside(1))}
        >
          ›
        </IconButton>
      )}
      {at && (
        <Suspense fallback={null}>
          <MonthPicker
            at={at}
            onClose={() => setAt(null)}
            chosen={all ? '' : period}
            last={last}
            any={any}
            onChosen={choose}
          />
        </Suspense>
      )}
    </Box>
  );
}

function Jump({ sections }: { sections: SectionEntry[] }) {
  const [open, setOpen] = useState(false);
  useEffect(() => {
    const pressed = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
        event.preventDefault();
        setOpen(true);
      }
    };
    addEventListener('keydown', pressed);
    return () => removeEventListener('keydown', pressed);
  }, []);
  return (
    <>
      <Button
        variant="outlined"
        color="inherit"
        size="medium"
        onClick={() => setOpen(true)}
        sx={{ borderColor: 'divider', py: 0.35, color: 'text.secondary', fontWeight: 400, gap: 3 }}
      >
        Jump to anything
        <Box
          component="kbd"
          sx={{ font: 'inherit', fontSize: '0.78rem', display: { xs: 'none', sm: 'inline' } }}
        >
          Ctrl K
        </Box>
      </Button>
      {open && (
        <Suspense fallback={null}>
          <JumpBox sections={sections} onClose={() => setOpen(false)} />
        </Suspense>
      )}
    </>
  );
}
