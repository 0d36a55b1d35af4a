/** Spend: what is bought or sold, by what one chooses, over a range of months. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import { againWhileWaiting } from '../shared/current';

export type Spend = Schemas['SpendBody'];
export type SpendCurrency = Schemas['SpendCurrencyBody'];
export type SpendRow = Schemas['SpendRowBody'];
export type SpentCharge = Schemas['SpentChargeBody'];

export const DIMENSIONS = {
  buyer: 'Customer',
  organisation: 'Organisation',
  project: 'Project',
  'level-1': 'Level 1',
  'level-2': 'Level 2',
  'level-3': 'Level 3',
  'cost-centre': 'Cost centre',
  plan: 'Plan',
  service: 'Service',
  meter: 'Meter',
  resource: 'Resource',
  region: 'Region',
} as const;
export type Dimension = keyof typeof DIMENSIONS;

/** Levels of a tree of projects, from the top; the projects themselves stand below them. */
const LEVELS: Dimension[] = ['level-1', 'level-2', 'level-3'];

/** What dimensions are called to one whose tree has levels with names; those without are not offered. */
export function dimensionsOf(sells: boolean, levels: readonly string[]): [Dimension, string][] {
  return (Object.keys(DIMENSIONS) as Dimension[]).flatMap((each): [Dimension, string][] => {
    const level = LEVELS.indexOf(each);
    if (level < 0) return sells || each !== 'buyer' ? [[each, DIMENSIONS[each]]] : [];
    const name = levels[level];
    return name === undefined ? [] : [[each, name]];
  });
}

/** What one looks at next, having chosen a value of a dimension. */
export const NEXT: Record<Dimension, Dimension> = {
  buyer: 'service',
  organisation: 'service',
  project: 'service',
  'level-1': 'project',
  'level-2': 'project',
  'level-3': 'project',
  'cost-centre': 'project',
  plan: 'service',
  service: 'meter',
  meter: 'resource',
  resource: 'meter',
  region: 'service',
};

/** What is asked for; days from the first until before `to`. */
export interface Asked {
  organisation: string;
  side: 'bought' | 'sold';
  from: string;
  to: string;
  only: string[];
}

/** How many stand by themselves in a chart, as many as there are colours. */
export const DRAWN = 8;
const LISTED = 200;

export const spendOptions = (asked: Asked, by: string[], top = LISTED) =>
  queryOptions({
    queryKey: ['spend', asked, by, top],
    queryFn: async () => body(await api.GET('/api/v1/spend', { params: { query: { ...asked, by, top } } })),
    staleTime: 30_000,
    refetchInterval: againWhileWaiting,
  });

/** Where the same is had as a file. */
export function fileAddress(asked: Asked, by: string, format: 'csv' | 'parquet'): string {
  const { only, ...rest } = asked;
  const query = new URLSearchParams({ ...rest, by, format });
  for (const each of only) query.append('only', each);
  return `/api/v1/spend/file?${query}`;
}

export const spentChargesOptions = (asked: Asked) =>
  queryOptions({
    queryKey: ['spent charges', asked],
    queryFn: async () =>
      body(await api.GET('/api/v1/spend/charges', { params: { query: { ...asked, limit: 15 } } })),
    staleTime: 30_000,
  });

export const spentChargeOptions = (id: string) =>
  queryOptions({
    queryKey: ['spent charge', id],
    queryFn: async () =>
      body(await api.GET('/api/v1/spend/charges/{charge_id}', { params: { path: { charge_id: id } } })),
  });
