/** Whose figures a page shows, and of which month: the bar on top sets both, the address keeps them. */
import { useLocation, useMatch, useNavigate, useSearchParams } from 'react-router';
import { periodsUpTo } from '../shared/dates';
import { useNamed, useSignedIn } from './session';

/** The slug of the organisation that a page is about: named by the address, or one's own. */
export function useWhose(): string {
  const { home } = useSignedIn();
  return useNamed() ?? home.organisation;
}

/** Chooses another organisation: the same page, about that one. */
export function useChooseWhose(): (slug: string) => void {
  const { session } = useSignedIn();
  const first = session.memberships[0]?.organisation;
  const [, setParams] = useSearchParams();
  const detail = useMatch('/organisations/:slug/:tab?');
  const navigate = useNavigate();
  const { search } = useLocation();
  return (slug) => {
    if (detail) {
      void navigate(`/organisations/${slug}/${detail.params.tab ?? ''}${search}`);
      return;
    }
    setParams((before) => {
      if (slug === first) before.delete('organisation');
      else before.set('organisation', slug);
      return before;
    });
  };
}

/** The chosen month; by default `behind` months before the business date's. */
export function usePeriod(behind = 0): [string, (period: string) => void] {
  const { session } = useSignedIn();
  const [params, setParams] = useSearchParams();
  const fallback = periodsUpTo(session.now, behind + 1)[behind] ?? session.now.slice(0, 7);
  const set = (period: string) =>
    setParams(
      (before) => {
        if (period) before.set('period', period);
        else before.delete('period');
        return before;
      },
      { replace: true },
    );
  return [params.get('period') || fallback, set];
}

/** An address with the organisation and the month that are looked at now. */
export function useKept(): (to: string) => string {
  const { session } = useSignedIn();
  const whose = useWhose();
  const [params] = useSearchParams();
  const kept = new URLSearchParams();
  if (whose !== session.memberships[0]?.organisation) kept.set('organisation', whose);
  const period = params.get('period');
  if (period) kept.set('period', period);
  const search = kept.toString();
  return (to) => (search ? `${to}?${search}` : to);
}
