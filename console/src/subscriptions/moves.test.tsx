/** Moves: what is looked at before one is planned, what is shown of one, and how it is taken back. */
import { screen, waitFor } from '@testing-library/react';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { rememberSignedIn, sessionOptions, type Session } from '../access/session';
import type { Organisation } from '../organisations/organisations';
import { api } from '../shared/api';
import { drawn, press } from '../shared/drawn.testing';
import { Moves } from './Moves';
import { type Move, movesOptions, moveWords } from './moves';

const session = (rights: string[], organisation = 'tarnwick') =>
  ({
    memberships: [{ organisation, name: 'Tarnwick Cloud', type: 'provider', rights }],
    now: '2026-10-05T12:00:00Z',
  }) as unknown as Session;
const ORGANISATION = { slug: 'saltmarsh', name: 'Saltmarsh Ferries', type: 'tenant' } as Organisation;
const MOVE: Move = {
  id: '00000000-0000-0000-0000-000000000001',
  organisation: 'saltmarsh',
  organisation_name: 'Saltmarsh Ferries',
  from_seller: 'oxbow',
  from_name: 'Oxbow Managed IT',
  to_seller: null,
  to_name: null,
  starts_on: '2026-12-01',
  starts_at: '2026-12-01T00:00:00Z',
  state: 'planned',
  reason: 'It moves house',
  planned_at: '2026-10-05T12:00:00Z',
  may_withdraw: true,
  sentences: ['It buys from another seller.'],
  hindrances: [],
  subscriptions: [
    {
      organisation: 'saltmarsh',
      organisation_name: 'Saltmarsh Ferries',
      subscription: 'Charts',
      plan: 'Open Range',
      tier: 'Moor',
      monthly: '79.00',
      currency: 'GBP',
      ends: false,
    },
    {
      organisation: 'saltmarsh',
      organisation_name: 'Saltmarsh Ferries',
      subscription: 'Care',
      plan: null,
      tier: null,
      monthly: null,
      currency: null,
      ends: true,
    },
  ],
  limits: [{ measure: 'machines', unit: 'machine', limit: '4', left: '2' }],
};
const posts: string[] = [];

beforeEach(() => {
  posts.length = 0;
  rememberSignedIn(true);
  vi.spyOn(api, 'POST').mockImplementation(((path: string) => {
    posts.push(path);
    return Promise.resolve({ data: { ...MOVE, state: 'withdrawn' }, response: new Response() });
  }) as never);
  vi.spyOn(api, 'GET').mockImplementation(((path: string) =>
    Promise.resolve({
      data: path.endsWith('/session') ? session(['manage organisations']) : { items: [], next: null },
    })) as never);
});

const draw = (moves: Move[], who: Session) =>
  drawn(<Moves organisation={ORGANISATION} />, [
    [sessionOptions.queryKey, who],
    [movesOptions('saltmarsh').queryKey, { items: moves, next: null }],
  ]);

describe('moves', () => {
  it('are shown with what goes on, what ends and what goes along, and taken back', async () => {
    draw([MOVE], session(['manage organisations']));
    expect(
      screen.getByText('Charts (Open Range Moor): goes on, then 79.00 GBP a month by its fees'),
    ).toBeTruthy();
    expect(screen.getByText('Care: ends with the day before')).toBeTruthy();
    expect(
      screen.getByText('Machines: takes along 4 machines, which leaves the new seller 2 machines'),
    ).toBeTruthy();
    expect(screen.queryByRole('button', { name: 'Move to another seller' })).toBeNull();
    press('Withdraw the move');
    await waitFor(() =>
      expect(posts).toEqual(['/api/v1/organisations/{organisation}/moves/{move}/withdraw']),
    );
  });

  it('are planned by who manages organisations above, and by nobody of the organisation itself', () => {
    draw([], session(['manage organisations'], 'saltmarsh'));
    expect(screen.queryByRole('button', { name: 'Move to another seller' })).toBeNull();
  });

  it('name a seller only where it is known', () => {
    expect(moveWords(MOVE)).toBe('It is to move from Oxbow Managed IT to another seller on 2026-12-01');
    expect(moveWords({ ...MOVE, state: 'withdrawn' })).toContain('that was taken back');
  });
});
