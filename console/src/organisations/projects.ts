/** Projects as a tree, what their levels are called, and their people. */
import { queryOptions } from '@tanstack/react-query';
import { api, body } from '../shared/api';

export const MOST_LEVELS = 4;

/** What an organisation calls the levels of its tree, from the top. */
export const levelsOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['project levels', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/project-levels', {
          params: { path: { organisation } },
        }),
      ).names,
    staleTime: 60_000,
  });

export const projectPeopleOptions = (organisation: string, project: string) =>
  queryOptions({
    queryKey: ['project people', organisation, project],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/projects/{project}/people', {
          params: { path: { organisation, project } },
        }),
      ),
  });
