/** Subscriptions, what falls to them, special terms, and what is charged on them by hand. */
import { addDays } from '../shared/dates';
import { queryOptions, useMutation, useQueryClient } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type Subscription = Schemas['SubscriptionBody'];
export type SpecialTerms = Schemas['SpecialTermsBody'];
export type AssignmentRule = Schemas['AssignmentRuleBody'];
export type OneOffCharge = Schemas['OneOffChargeBody'];

export const subscriptionsOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['subscriptions', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/subscriptions', {
          params: { path: { organisation } },
        }),
      ).items,
  });

export const assignmentRulesOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['assignment rules', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/assignment-rules', {
          params: { path: { organisation } },
        }),
      ).items,
  });

export const specialTermsOptions = (seller: string) =>
  queryOptions({
    queryKey: ['special terms', seller],
    queryFn: async () =>
      body(await api.GET('/api/v1/organisations/{seller}/special-terms', { params: { path: { seller } } }))
        .items,
  });

export const oneOffChargesOptions = (seller: string) =>
  queryOptions({
    queryKey: ['one-off charges', seller],
    queryFn: async () =>
      body(await api.GET('/api/v1/organisations/{seller}/one-off-charges', { params: { path: { seller } } }))
        .items,
  });

/** What a rule asks for, in words. */
export function conditionWords(conditions: Record<string, unknown>): string {
  const { where, ...others } = conditions;
  const all = { ...others, ...(where as Record<string, unknown> | undefined) };
  return Object.entries(all)
    .map(([name, value]) => `${name} ${valueWords(value)}`)
    .join(', ');
}

function valueWords(value: unknown): string {
  if (Array.isArray(value)) return value.join(' or ');
  if (typeof value === 'object' && value !== null) {
    const [kind = '', text = ''] = Object.entries(value as Record<string, string>)[0] ?? [];
    return kind === 'prefix' ? `beginning with ${text}` : `with ${text} in it`;
  }
  return String(value);
}

/** A change of something about subscriptions, after which all that depends on them is looked at anew. */
export function useSubscriptionChange<T>(act: () => Promise<T>, done: () => void) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: async () => {
      await queries.invalidateQueries();
      done();
    },
  });
}

/** From which day on a subscription may end, where that is not any day. */
export function boundWords(subscription: Subscription, today: string): string | null {
  const earliest = addDays(subscription.earliest_end, -1);
  if (earliest < today) return null;
  const notice = subscription.notice_by ? `, if notice is given by ${subscription.notice_by}` : '';
  return `The earliest is ${earliest}${notice}.`;
}
