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
