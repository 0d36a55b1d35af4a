/** What is sold, as far as the signed-in user sees it. */
import { queryOptions, useQuery } from '@tanstack/react-query';
import { api, body } from './api';

export const servicesOptions = queryOptions({
  queryKey: ['services'],
  queryFn: async () => body(await api.GET('/api/v1/services')).items,
});

/** The names of services, by slug. */
export function useServiceNames(): Map<string, string> {
  const services = useQuery(servicesOptions);
  return new Map((services.data ?? []).map(({ slug, form }) => [slug, String(form.name)]));
}
