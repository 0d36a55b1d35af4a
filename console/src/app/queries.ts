/** What is asked of the service and kept; whose session has ended is asked to sign in again, wherever that is noticed. */
import { MutationCache, QueryCache, QueryClient } from '@tanstack/react-query';
import { sessionOptions } from '../access/session';
import { Refusal } from '../shared/api';

/** What is no longer true is asked anew, also where it is only being asked for the first time.
 *
 * By itself such a first question, asked before what has changed since, would be taken for the answer.
 */
class Queries extends QueryClient {
  override async invalidateQueries(
    ...[filters, options]: Parameters<QueryClient['invalidateQueries']>
  ): Promise<void> {
    await this.cancelQueries({
      queryKey: filters?.queryKey,
      fetchStatus: 'fetching',
      predicate: (query) => query.state.data === undefined && (filters?.predicate?.(query) ?? true),
    });
    await super.invalidateQueries(filters, options);
  }
}

export function makeQueries(): QueryClient {
  const onError = (problem: unknown) => {
    if (problem instanceof Refusal && problem.code === 'not_signed_in')
      void queries.invalidateQueries({ queryKey: sessionOptions.queryKey });
  };
  const queries = new Queries({
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
