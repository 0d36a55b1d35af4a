/** What quotas limit: what is built in, and what the provider defines. */
import { queryOptions, useQuery } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import { measureName } from './organisations';

export type Measure = Schemas['MeasureBody'];

/** All that meters count until the service has said which there are; in the order in which people read them. */
const BUILT_IN: Measure[] = (
  [
    ['processors', 'vCPU', 'stock'],
    ['memory', 'GiB', 'stock'],
    ['storage', 'GiB', 'stock'],
    ['machines', 'machine', 'stock'],
    ['addresses', 'address', 'stock'],
    ['egress', 'GiB', 'monthly'],
    ['ingest', 'GiB', 'daily'],
  ] as const
).map(([measure, unit, kind]) => ({ measure, unit, kind, metered: true, defined: false, counts: null }));

export const measuresOptions = queryOptions({
  queryKey: ['measures'],
  queryFn: async () => body(await api.GET('/api/v1/measures')).items,
  staleTime: 300_000,
});

/** What meters count and quotas limit. */
export function useMeasures(): Measure[] {
  const { data } = useQuery(measuresOptions);
  return data?.filter((each) => each.metered) ?? BUILT_IN;
}

/** Measures to choose from, with their units. */
export const measureChoices = (measures: Measure[]) =>
  measures.map((each) => [each.measure, `${measureName(each.measure, each.kind)}, ${each.unit}`] as const);

/** The unit of a measure; of one that nobody knows any more its name says what it is. */
export const unitOfMeasure = (measures: Measure[], measure: string): string =>
  measures.find((each) => each.measure === measure)?.unit ?? measure;
