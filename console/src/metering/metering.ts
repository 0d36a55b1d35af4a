/** Usage and feeds. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import { againWhileWaiting } from '../shared/current';

export type Usage = Schemas['UsageBody'];
export type Feed = Schemas['FeedBody'];
export type Delivery = Schemas['DeliveryBody'];

export type Spell = Schemas['SpellBody'];
export type Load = Schemas['LoadBody'];
export type ResourceOwner = Schemas['ResourceOwnerBody'];
export type Said = Schemas['SaidBody'];

export const usageOptions = (
  organisation: string,
  period: string,
  by: string[],
  meter?: string,
  resource?: string,
) =>
  queryOptions({
    queryKey: ['usage', organisation, period, by, meter ?? '', resource ?? ''],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/usage', {
          params: {
            path: { organisation },
            query: {
              period,
              by,
              limit: 2000,
              ...(meter ? { meter } : {}),
              ...(resource === undefined ? {} : { resource }),
            },
          },
        }),
      ),
    staleTime: 30_000,
    refetchInterval: againWhileWaiting,
  });

/** How long a resource was as feeds say, in a month, and what was said of it. */
export const spellsOptions = (organisation: string, period: string, resource: string) =>
  queryOptions({
    queryKey: ['spells', organisation, period, resource],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/spells', {
          params: { path: { organisation }, query: { period, resource, limit: 2000 } },
        }),
      ),
    staleTime: 30_000,
    refetchInterval: againWhileWaiting,
  });

/** How much of a resource was used hour by hour, on days of UTC up to (not including) one. */
export const loadsOptions = (organisation: string, resource: string, first: string, until: string) =>
  queryOptions({
    queryKey: ['loads', organisation, resource, first, until],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/loads', {
          params: { path: { organisation }, query: { resource, first, until } },
        }),
      ),
    staleTime: 30_000,
    refetchInterval: againWhileWaiting,
  });

/** Whose a resource of a seller's feeds is in a month of UTC, and why. */
export const resourceOwnersOptions = (organisation: string, period: string, resource: string) =>
  queryOptions({
    queryKey: ['ownership rules', 'of', organisation, period, resource],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/resource-owners', {
          params: { path: { organisation }, query: { period, resource } },
        }),
      ).items,
  });

/** Why something is whose it is. */
export function because({ named, owner, rule, account }: ResourceOwner): string {
  if (named !== null) return owner ? 'so it was sent' : `sent as ${named}, which is not there`;
  return rule ? `rule ${rule}` : `no rule takes it${account ? ` of account ${account}` : ''}`;
}

/** The page of a resource, whose name may have any characters; ``kept`` as `useKept` gives it. */
export function resourcePath(kept: (to: string) => string, name: string): string {
  const [path, search = ''] = kept('/usage/resource').split('?');
  const query = new URLSearchParams(search);
  query.set('name', name);
  return `${path}?${query.toString()}`;
}

export const feedsOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['feeds', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/feeds', { params: { path: { organisation } } }),
      ).items,
  });

/** What is known of a resource whatever the month. */
export const resourceFactsOptions = (organisation: string, resource: string) =>
  queryOptions({
    queryKey: ['resource facts', organisation, resource],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/resource-facts', {
          params: { path: { organisation }, query: { resource } },
        }),
      ),
  });

export type Arrival = Schemas['FeedArrivalBody'];

/** What comes in by each feed, beside what usually does. */
export const arrivalsOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['feed arrivals', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/feed-arrivals', {
          params: { path: { organisation } },
        }),
      ).items,
  });

/** What was refused of a delivery: the first of it. */
export const refusedOptions = (feed: string, delivery: string) =>
  queryOptions({
    queryKey: ['refused items', feed, delivery],
    queryFn: async () =>
      body(await api.GET('/api/v1/refused-items', { params: { query: { feed, delivery, limit: 100 } } }))
        .items,
  });

export const refusedFile = (feed: string, delivery?: string) =>
  `/api/v1/refused-items/file?${new URLSearchParams({ feed, ...(delivery && { delivery }) })}`;

export const deliveriesOptions = (feed: string) =>
  queryOptions({
    queryKey: ['deliveries', feed],
    queryFn: async () =>
      body(await api.GET('/api/v1/deliveries', { params: { query: { feed, limit: 100 } } })).items,
  });
