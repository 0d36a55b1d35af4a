/** Which feed counts where several measure the same. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import { againWhileWaiting } from '../shared/current';
import { dayName } from '../shared/dates';
import { fixedWords } from './ownership';

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

/** That what was measured long ago counts as it did, where a feed would have given way then. */
export const stayWords = (to: readonly First[], fixedBefore: string | null): string[] =>
  fixedWords({ from_day: to.map((each) => each.starts_on).sort()[0] ?? null, fixed_before: fixedBefore });

/** To whom a feed gives way since when, with the names of feeds. */
export const waysWords = (to: readonly First[], name: (feed: string) => string): string =>
  to.map((each) => `${name(each.feed)} (from ${dayName(each.starts_on)})`).join(', ');
