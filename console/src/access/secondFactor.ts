/** The second factor of the signed-in user, and of whom an organisation demands one. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type Demand = Schemas['SignInPolicyBody']['second_factor'];

export const secondFactorOptions = queryOptions({
  queryKey: ['second factor'],
  queryFn: async () => body(await api.GET('/api/v1/session/second-factor')),
});

export const policyOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['sign-in policy', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/sign-in-policy', {
          params: { path: { organisation } },
        }),
      ),
  });

export const setPolicy = async (organisation: string, demand: Demand) =>
  body(
    await api.PUT('/api/v1/organisations/{organisation}/sign-in-policy', {
      params: { path: { organisation } },
      body: { second_factor: demand },
    }),
  );
