/** Moves of organisations under other sellers. */
import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type Move = Schemas['MoveBody'];
export type Moved = Schemas['MovedSubscriptionBody'];

export const movesOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['organisations', organisation, 'moves'],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/moves', { params: { path: { organisation } } }),
      ),
  });

export const planMove = async (
  organisation: string,
  move: { to: string; starts_on: string; reason: string; check: boolean },
) =>
  body(
    await api.POST('/api/v1/organisations/{organisation}/moves', {
      params: { path: { organisation } },
      body: move,
    }),
  );

export const withdrawMove = async (organisation: string, move: string) =>
  body(
    await api.POST('/api/v1/organisations/{organisation}/moves/{move}/withdraw', {
      params: { path: { organisation, move } },
    }),
  );

/** What a move would do, looked at again with each seller and day that is chosen. */
export const lookedOptions = (organisation: string, to: string, starts_on: string) =>
  queryOptions({
    queryKey: ['organisations', organisation, 'moves', 'looked at', to, starts_on],
    queryFn: () => planMove(organisation, { to, starts_on, reason: 'only looked at', check: true }),
    enabled: to !== '' && /^\d{4}-\d{2}-\d{2}$/.test(starts_on),
    placeholderData: keepPreviousData,
    retry: false,
    gcTime: 0,
  });

/** A move in a line: from which day, from whom to whom, as far as the reader knows them. */
export function moveWords(move: Move): string {
  const from = move.from_name ?? 'another seller';
  const to = move.to_name ?? 'another seller';
  const said = { planned: 'is to move', done: 'moved', withdrawn: 'was to move' }[move.state];
  const end = move.state === 'withdrawn' ? '; that was taken back' : '';
  return `It ${said} from ${from} to ${to} on ${move.starts_on}${end}`;
}
