/** Which feed counts where several measure the same. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import { againWhileWaiting } from '../shared/current';
import { dayName } from '../shared/dates';

export type First = Schemas['FeedFirst'];
export type ComparedMeter = Schemas['ComparedMeterBody'];

/** The feeds of a seller that give way, by their paths. */
export const precedencesOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['feed precedences', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/feed-precedences', {
          params: { path: { organisation } },
        }),
      ).items,
  });

export const comparisonOptions = (feed: string, period: string) =>
  queryOptions({
    queryKey: ['feed comparison', feed, period],
    queryFn: async () =>
      body(await api.GET('/api/v1/feeds/comparison', { params: { query: { feed, period } } })),
    refetchInterval: againWhileWaiting,
  });

/** To whom a feed gives way since when, with the names of feeds. */
export const waysWords = (to: readonly First[], name: (feed: string) => string): string =>
  to.map((each) => `${name(each.feed)} (from ${dayName(each.starts_on)})`).join(', ');
