/** Hosts of clouds, and pools day by day. */
import { infiniteQueryOptions, queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import { measureName } from './organisations';

export type Host = Schemas['HostBody'];
export type HostDay = Schemas['HostDayBody'];
export type Hosts = Schemas['HostsBody'];
export type PoolDay = Schemas['PoolDayBody'];

export const hostsOptions = (cloud: string, search: string) =>
  infiniteQueryOptions({
    queryKey: ['clouds', cloud, 'hosts', search],
    queryFn: async ({ pageParam }: { pageParam: string | null }) =>
      body(
        await api.GET('/api/v1/clouds/{cloud}/hosts', {
          params: { path: { cloud }, query: { search, ...(pageParam ? { after: pageParam } : {}) } },
        }),
      ),
    initialPageParam: null as string | null,
    getNextPageParam: (page) => page.next,
  });

/** `look` is when they were looked at last: what is known of days is another then. */
export const hostDaysOptions = (cloud: string, host: string, look: string) =>
  queryOptions({
    queryKey: ['clouds', cloud, 'host-days', host, look],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/clouds/{cloud}/host-days', {
          params: { path: { cloud }, query: host ? { host } : {} },
        }),
      ).items,
  });

export const poolDaysOptions = (pool: string) =>
  queryOptions({
    queryKey: ['sites', 'pools', pool, 'days'],
    queryFn: async () =>
      body(await api.GET('/api/v1/pools/{pool}/days', { params: { path: { pool } } })).items,
  });

/** What a resource is called: a measure by its name, what only its cloud knows as that calls it. */
export const resourceName = (resource: string, unit: string): string =>
  unit ? measureName(resource) : resource;
