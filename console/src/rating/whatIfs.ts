/** What a month would have come to with other rate cards; the service prices it as a task. */
import { infiniteQueryOptions, queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type WhatIf = Schemas['WhatIfBody'];
export type WhatIfAmount = Schemas['WhatIfAmountBody'];

export const isUnderWay = ({ state }: WhatIf): boolean => state === 'waiting' || state === 'running';

export const whatIfsOptions = (organisation: string) =>
  infiniteQueryOptions({
    queryKey: ['what-ifs', organisation],
    queryFn: async ({ pageParam }: { pageParam: string | null }) =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/what-ifs', {
          params: { path: { organisation }, query: { after: pageParam, limit: 10 } },
        }),
      ),
    initialPageParam: null as string | null,
    getNextPageParam: (page) => page.next,
    refetchInterval: (query) =>
      query.state.data?.pages.some((page) => page.items.some(isUnderWay)) ? 1000 : false,
  });

export const whatIfOptions = (id: string) =>
  queryOptions({
    queryKey: ['what-if', id],
    queryFn: async () =>
      body(await api.GET('/api/v1/what-ifs/{what_if_id}', { params: { path: { what_if_id: id } } })),
    refetchInterval: (query) => (query.state.data && isUnderWay(query.state.data) ? 400 : false),
  });

export const amountsOptions = (id: string, differing: boolean, search: string) =>
  infiniteQueryOptions({
    queryKey: ['what-if amounts', id, differing, search],
    queryFn: async ({ pageParam }: { pageParam: string | null }) =>
      body(
        await api.GET('/api/v1/what-ifs/{what_if_id}/amounts', {
          params: {
            path: { what_if_id: id },
            query: { differing, search, after: pageParam, limit: 200 },
          },
        }),
      ),
    initialPageParam: null as string | null,
    getNextPageParam: (page) => page.next,
    placeholderData: (before) => before,
  });
