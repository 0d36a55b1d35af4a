/** What something would cost. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type Estimate = Schemas['EstimateBody'];
export type EstimateAsked = Schemas['EstimateAsked'];
export type ExpectedUse = Schemas['ExpectedUse'];

export const estimateOptions = (asked: EstimateAsked) =>
  queryOptions({
    queryKey: ['estimate', asked],
    queryFn: async () => body(await api.POST('/api/v1/estimates', { body: asked })),
    placeholderData: (before) => before,
    retry: false,
  });
