/** Usage and feeds. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import { againWhileWaiting } from '../shared/current';

export type Usage = Schemas['UsageBody'];
export type Feed = Schemas['FeedBody'];
export type Delivery = Schemas['DeliveryBody'];

export const usageOptions = (organisation: string, period: string, by: string[], meter?: string) =>
  queryOptions({
    queryKey: ['usage', organisation, period, by, meter ?? ''],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/usage', {
          params: { path: { organisation }, query: { period, by, limit: 2000, ...(meter ? { meter } : {}) } },
        }),
      ),
    staleTime: 30_000,
    refetchInterval: againWhileWaiting,
  });

export const feedsOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['feeds', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/feeds', { params: { path: { organisation } } }),
      ).items,
  });

export const deliveriesOptions = (feed: string) =>
  queryOptions({
    queryKey: ['deliveries', feed],
    queryFn: async () =>
      body(await api.GET('/api/v1/deliveries', { params: { query: { feed, limit: 100 } } })).items,
  });
