/** Rules of ownership tried on all that came in, with what customers' months would come to; the service does it as a task. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import { periodName } from '../shared/dates';

export type Trial = Schemas['OwnershipTrialBody'];
export type LinkDifference = Schemas['LinkDifferenceBody'];

export const isTried = ({ state }: Trial): boolean => state !== 'waiting' && state !== 'running';

export const trialOptions = (id: string) =>
  queryOptions({
    queryKey: ['ownership trial', id],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/ownership-trials/{ownership_trial_id}', {
          params: { path: { ownership_trial_id: id } },
        }),
      ),
    refetchInterval: (query) => (query.state.data && !isTried(query.state.data) ? 400 : false),
  });

/** What would not be priced that is not asked for by now, a sentence each month and customer. */
export const gapWords = (gaps: Trial['not_priced']): string[] =>
  gaps.map(
    (gap) =>
      `${gap.meter_name} of ${gap.buyer} in ${periodName(gap.period)} would not be priced: ${gap.reason}.`,
  );
