/** What needs somebody, and where it is done. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type ToDo = Schemas['ToDoBody'];

export const toDosOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['to dos', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/to-dos', { params: { path: { organisation } } }),
      ).items,
    refetchInterval: 60_000,
  });

/** What one does about it, and where. */
export function wayOf(todo: ToDo, organisation: string): { act: string; to: string } {
  switch (todo.kind) {
    case 'task':
      return { act: 'Open', to: `/record/work?task=${todo.subject}` };
    case 'feed':
    case 'refused readings':
    case 'account':
      return { act: 'Look', to: `/feeds?feed=${todo.subject}` };
    case 'unowned':
      return { act: 'Give it an owner', to: '/owners' };
    case 'hosts':
      return { act: 'Look', to: `/clouds/${todo.subject}/hosts` };
    case 'unknown kind':
      return { act: 'Say what it is', to: '/kinds' };
    case 'drafts':
      return { act: 'Review', to: '/invoices?state=draft' };
    case 'to bill':
      return { act: 'Close it', to: `/bill-runs?period=${todo.subject}` };
    case 'not priced':
      return { act: 'Look', to: '/feed-balances' };
    case 'price change':
      return { act: 'See', to: `/rate-cards?card=${todo.subject}` };
    case 'pool':
      return { act: 'Look', to: '/sites' };
    case 'quota':
      return { act: 'Look', to: `/organisations/${organisation}/quotas` };
    case 'breach':
    case 'quota request':
      return { act: 'Look', to: `/organisations/${todo.subject}/quotas` };
    case 'onboarding':
      return {
        act: todo.weight === 'failed' ? 'Open' : 'Decide',
        to: `/onboardings/${todo.subject}`,
      };
    case 'ending':
      return { act: 'Look', to: todo.subject };
    case 'order':
      return { act: 'Look', to: `/organisations/${todo.subject}/subscriptions` };
    case 'messages':
      return { act: 'Look', to: '/record/messages?state=failed' };
    case 'invoice':
      return { act: 'Open', to: `/invoices/${todo.subject}` };
    default:
      return { act: 'Look', to: `/spend?period=${todo.subject}` };
  }
}
