/** The taxes of a seller. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type TaxRate = Schemas['TaxRateBody'];

export const taxRatesOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['tax rates', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/tax-rates', {
          params: { path: { organisation } },
        }),
      ).items,
  });

/** Categories of EN 16931. */
export const CATEGORIES: [string, string][] = [
  ['S', 'standard rate'],
  ['Z', 'zero rated'],
  ['E', 'exempt'],
  ['AE', 'reverse charge'],
  ['O', 'outside the scope of tax'],
];
export const categoryName = (code: string) => CATEGORIES.find(([each]) => each === code)?.[1] ?? code;
