/** By which feed the usage of a cloud comes. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import { formatCount } from '../shared/decimal';

export type CloudFeed = Schemas['CloudFeedBody'];

export const cloudFeedsOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['cloud feeds', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/cloud-feeds', {
          params: { path: { organisation } },
        }),
      ).items,
  });

/** What a feed measures, in a sentence; how many of the accounts there are nobody's yet. */
export function measuredWords(clouds: CloudFeed[]): string {
  const names = clouds.map((each) => each.cloud_name).join(', ');
  const count = (of: 'accounts' | 'owned') => clouds.reduce((sum, each) => sum + each[of], 0);
  const accounts = count('accounts');
  const left = accounts - count('owned');
  const one = accounts === 1;
  const there = accounts ? `: ${formatCount(accounts)} ${one ? 'account' : 'accounts'} by now` : '';
  const nobodys = left > 0 ? `, ${formatCount(left)} of them of no project yet` : '';
  return `Usage of ${names} comes by it. What is used in an account there is of the customer that has it${there}${nobodys}.`;
}
