/** Other limits that customers ask their sellers for. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type QuotaRequest = Schemas['QuotaRequestBody'];

/** What an organisation asked for, the latest first; for its members, and those of its direct seller. */
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
