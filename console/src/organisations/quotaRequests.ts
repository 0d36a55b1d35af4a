/** Other limits that customers ask their sellers for. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type QuotaRequest = Schemas['QuotaRequestBody'];

/** What an organisation asked for, and is asked by its customers; for its members. */
export const quotaRequestsOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['quotas', organisation, 'requests'],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/quota-requests', {
          params: { path: { organisation } },
        }),
      ).items,
  });
