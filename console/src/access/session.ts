/** Who is signed in. */
import {
  type QueryClient,
  queryOptions,
  useQuery,
  useQueryClient,
  useSuspenseQuery,
} from '@tanstack/react-query';
import { useMatch, useSearchParams } from 'react-router';
import { Refusal, api, body, setCsrf, type Schemas } from '../shared/api';

export type Session = Schemas['SessionBody'];
export type Right = Schemas['Right'];

const REMEMBERED = 'gradumen.signed-in';

/** Whether this browser has a session cookie, which no script can read: spares a question whose answer is no. */
export function rememberSignedIn(yes: boolean): void {
  if (yes) localStorage.setItem(REMEMBERED, 'yes');
  else localStorage.removeItem(REMEMBERED);
}

export const sessionOptions = queryOptions({
  queryKey: ['session'],
  queryFn: async (): Promise<Session | null> => {
    if (!localStorage.getItem(REMEMBERED)) return null;
    try {
      const session = body(await api.GET('/api/v1/session'));
      setCsrf(session.csrf);
      return session;
    } catch (problem) {
      if (problem instanceof Refusal && problem.status === 401) {
        rememberSignedIn(false);
        return null;
      }
      throw problem;
    }
  },
  staleTime: 60_000,
  retry: false,
});

/** Whether the service has no provider yet. */
export const setUpOptions = queryOptions({
  queryKey: ['set up'],
  queryFn: async () => body(await api.GET('/api/v1/set-up')),
  staleTime: 60_000,
  retry: false,
});

/** The session, or null when nobody is signed in. */
export const useSession = () => useQuery(sessionOptions);

/** The organisation that an address names: in its path or as a parameter. */
export function useNamed(): string | null {
  const [params] = useSearchParams();
  const detail = useMatch('/organisations/:slug/*');
  return detail?.params.slug ?? (params.get('organisation') || null);
}

/** The session of a page that only the signed-in see, and the membership by which one acts: the named, else the first. */
export function useSignedIn() {
  const { data: session } = useSuspenseQuery(sessionOptions);
  const named = useNamed();
  const home = session?.memberships.find((each) => each.organisation === named) ?? session?.memberships[0];
  if (!session || !home) throw new Refusal(401, 'not_signed_in', 'sign in first');
  const may = (right: Right): boolean => session.memberships.some((each) => each.rights.includes(right));
  /** Whether the signed-in user has a right as a member of an organisation itself. */
  const mayAt = (right: Right, organisation: string | null): boolean =>
    session.memberships.some((each) => each.organisation === organisation && each.rights.includes(right));
  return { session, home, may, mayAt };
}

/** Until nothing is being asked, for a moment at most. */
async function quiet(queries: QueryClient): Promise<void> {
  for (let round = 0; round < 20 && queries.isFetching(); round += 1)
    await new Promise((resolve) => setTimeout(resolve, 50));
}

/** Ends the session, and forgets what was shown in it. */
export function useSignOut(): () => Promise<void> {
  const queries = useQueryClient();
  return async () => {
    // Before it ends: nobody asks whether it has ended, and what is being asked is answered first.
    rememberSignedIn(false);
    const end = () => api.DELETE('/api/v1/session', { keepalive: true });
    // Whoever leaves the page meanwhile is signed out all the same.
    const leave = () => void end();
    addEventListener('pagehide', leave);
    await quiet(queries);
    removeEventListener('pagehide', leave);
    try {
      await end();
    } catch (problem) {
      rememberSignedIn(true);
      throw problem;
    }
    setCsrf('');
    queries.setQueryData(sessionOptions.queryKey, null);
    // Only once the pages are gone: what is shown would be asked for again.
    setTimeout(() =>
      queries.removeQueries({ predicate: (query) => query.queryKey[0] !== sessionOptions.queryKey[0] }),
    );
  };
}
