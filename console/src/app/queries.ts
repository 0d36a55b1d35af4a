/** What is asked of the service and kept; whose session has ended is asked to sign in again, wherever that is noticed. */
import { MutationCache, QueryCache, QueryClient } from '@tanstack/react-query';
import { sessionOptions } from '../access/session';
import { Refusal } from '../shared/api';

export function makeQueries(): QueryClient {
  const onError = (problem: unknown) => {
    if (problem instanceof Refusal && problem.code === 'not_signed_in')
      void queries.invalidateQueries({ queryKey: sessionOptions.queryKey });
  };
  const queries = new QueryClient({
    queryCache: new QueryCache({ onError }),
    mutationCache: new MutationCache({ onError }),
    defaultOptions: {
      queries: {
        staleTime: 15_000,
        retry: (count, problem) => count < 2 && !(problem instanceof Refusal && problem.status >= 400),
      },
    },
  });
  return queries;
}
