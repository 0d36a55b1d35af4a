/** Members, invitations, tokens, sessions and the record. */
import { infiniteQueryOptions, queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type Member = Schemas['MemberBody'];
export type Invitation = Schemas['InvitationBody'];
export type Role = Schemas['Role'];
export type Token = Schemas['TokenBody'];
export type Program = Schemas['ProgramBody'];
export type OpenSession = Schemas['OpenSessionBody'];
export type AuditEntry = Schemas['AuditEntryBody'];

/** Roles with what they are for, from most to least. */
export const ROLES: { role: Role; says: string }[] = [
  { role: 'administrator', says: 'everything, members too' },
  { role: 'finance', says: 'catalogue, subscriptions, billing' },
  { role: 'viewer', says: 'sees everything, money too, changes nothing' },
  { role: 'sender', says: 'sends readings to its feeds, sees nothing else' },
];

/** The same to choose from. */
export const ROLE_CHOICES = ROLES.map(({ role, says }) => [role, `${role}: ${says}`] as const);

/** The address that carries a secret; what follows the # is never sent to a server. */
export const linkOf = (page: 'join' | 'reset', secret: string): string =>
  `${window.location.origin}/${page}#${secret}`;

export const membersOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['members', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/members', { params: { path: { organisation } } }),
      ).items,
  });

export const invitationsOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['invitations', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/invitations', {
          params: { path: { organisation } },
        }),
      ).items,
  });

export const tokensOptions = queryOptions({
  queryKey: ['tokens'],
  queryFn: async () => body(await api.GET('/api/v1/tokens')).items,
});

/** Programs that were planned for the signed-in user, whose tokens wait. */
export const programsOptions = queryOptions({
  queryKey: ['programs'],
  queryFn: async () => body(await api.GET('/api/v1/programs')).items,
});

export const sessionsOptions = queryOptions({
  queryKey: ['sessions'],
  queryFn: async () => body(await api.GET('/api/v1/sessions')).items,
});

export const recordOptions = (organisation: string, action: string, search: string) =>
  infiniteQueryOptions({
    queryKey: ['audit-entries', organisation, action, search],
    queryFn: async ({ pageParam }: { pageParam: string | null }) =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/audit-entries', {
          params: {
            path: { organisation },
            query: {
              limit: 100,
              search,
              ...(action ? { action } : {}),
              ...(pageParam ? { after: pageParam } : {}),
            },
          },
        }),
      ),
    initialPageParam: null as string | null,
    getNextPageParam: (page) => page.next,
  });

/** So many texts are told one by one. */
const FEW = 4;

/** What an entry changed, in words: a value that came to be another, or what was given. */
export function changesOf(entry: Pick<AuditEntry, 'before' | 'after'>): string[] {
  const before = (entry.before ?? {}) as Record<string, unknown>;
  const after = (entry.after ?? {}) as Record<string, unknown>;
  return [...new Set([...Object.keys(before), ...Object.keys(after)])]
    .filter((name) => JSON.stringify(before[name] ?? null) !== JSON.stringify(after[name] ?? null))
    .map((name) => {
      const words = name.replaceAll('_', ' ');
      if (!(name in before)) return `${words} ${said(after[name])}`;
      if (!(name in after)) return `${words} ${said(before[name])}`;
      return `${words} ${said(before[name])} → ${said(after[name])}`;
    });
}

function said(value: unknown): string {
  if (value === null || value === undefined || value === '') return 'none';
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (Array.isArray(value)) {
    if (value.length <= FEW && value.every((each) => typeof each === 'string'))
      return value.join(', ') || 'none';
    return value.length === 1 ? '1 entry' : `${value.length} entries`;
  }
  if (typeof value !== 'object') return String(value as string | number);
  const parts = Object.entries(value).filter(([, each]) => each !== null);
  return parts.map(([name, each]) => `${name.replaceAll('_', ' ')} ${said(each)}`).join(', ') || 'none';
}
