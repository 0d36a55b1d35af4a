/** Mail to people: what was sent, the texts of it, and what the signed-in user was told. */
import { infiniteQueryOptions, queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type Message = Schemas['MessageBody'];
export type MessageText = Schemas['MessageTextBody'];
export type Notice = Schemas['NoticeBody'];
type Kind = MessageText['kind'];

export const messagesOptions = (organisation: string, state: string, search: string) =>
  infiniteQueryOptions({
    queryKey: ['messages', organisation, state, search],
    queryFn: async ({ pageParam }) =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/messages', {
          params: {
            path: { organisation },
            query: {
              search,
              ...(state ? { state: state as Message['state'] } : {}),
              ...(pageParam ? { after: pageParam } : {}),
            },
          },
        }),
      ),
    initialPageParam: '',
    getNextPageParam: (last) => last.next ?? undefined,
  });

export const textsOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['message texts', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/message-texts', {
          params: { path: { organisation } },
        }),
      ).items,
  });

const place = (organisation: string, kind: Kind) => ({ params: { path: { organisation, kind } } });
const TEXT = '/api/v1/organisations/{organisation}/message-texts/{kind}';

export const writeText = async (organisation: string, text: MessageText, subject: string, written: string) =>
  body(
    await api.PUT(TEXT, {
      ...place(organisation, text.kind),
      body: { subject, body: written, version: text.version },
    }),
  );

export const dropText = async (organisation: string, kind: Kind) =>
  body(await api.DELETE(TEXT, place(organisation, kind)));

export const tryText = async (organisation: string, kind: Kind, subject: string, written: string) =>
  body(await api.POST(`${TEXT}/try`, { ...place(organisation, kind), body: { subject, body: written } }));

export const retryMessage = async (message: string) =>
  body(await api.POST('/api/v1/messages/{message_id}/retry', { params: { path: { message_id: message } } }));

export const noticesOptions = queryOptions({
  queryKey: ['notices'],
  queryFn: async () => body(await api.GET('/api/v1/notices')),
  refetchInterval: 60_000,
});

export const readNotices = async (until: string) => {
  await api.POST('/api/v1/notices/read', { body: { until } });
};

/** Kinds as people call them. */
export const KIND_WORDS: Record<Kind, string> = {
  invitation: 'Invitation',
  'password-reset': 'Link for a new password',
  'password-changed': 'Password was changed',
  'second-factor': 'Second factor',
  'order-waits': 'Order that waits',
  'order-done': 'Order carried out',
  'order-refused': 'Order refused',
  welcome: 'Welcome',
  'onboarding-waits': 'Customer that waits',
  'onboarding-answered': 'Answer on a customer',
  'quota-asked': 'Other limit asked for',
  'quota-answered': 'Answer on a limit',
  'over-limit': 'Above a limit',
  'ends-soon': 'What ends soon',
  move: 'A move to another seller',
  invoice: 'Document',
};
