/** Clouds in which accounts of customers are made. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type Cloud = Schemas['CloudBody'];

export const cloudsOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['clouds', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/clouds', { params: { path: { organisation } } }),
      ).items,
  });

export const cloudAccountsOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['clouds', organisation, 'accounts'],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/cloud-accounts', {
          params: { path: { organisation } },
        }),
      ).items,
  });
