/** A feed's month: what is nowhere has no column, what is open needs a reason, and a change since is told. */
import { screen, waitFor } from '@testing-library/react';
import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { type Session, sessionOptions } from '../access/session';
import { api, type Schemas } from '../shared/api';
import { drawn, press, type } from '../shared/drawn.testing';
import FeedBalancesPage from './FeedBalancesPage';
import {
  columnsOf,
  type FeedBalance,
  feedBalancesOptions,
  type FeedMeter,
  notPricedOptions,
  stateWords,
} from './feedBalances';

const METER: FeedMeter = {
  meter: 'network/egress',
  meter_name: 'Network: Data sent out',
  unit: 'byte',
  readings: 6,
  replaced: 1,
  taken_back: 0,
  inferred: 0,
  divided: 0,
  measured: '3221225472',
  charged: '1073741824',
  covered: '0',
  own_use: '0',
  elsewhere: '0',
  nobodys: '2147483648',
  gave_way: '0',
  watched: '0',
  together: '0',
  twice: '0',
  no_rate: '0',
  no_subscription: '0',
  difference: '0',
  open: ["nobody's"],
};
const ITEM: FeedBalance = {
  feed: 'tarnwick/north-fell',
  feed_name: 'North Fell',
  refused: 2,
  unknown: 3,
  meters: [METER],
  costs: [],
  open: ["nobody's"],
  sign_off: null,
};
const SIGNED = { by: 'Finn', at: '2026-10-05T09:00:00Z', is_open: true, reason: 'a fair', changed: true };
const QUIET: FeedBalance = {
  ...ITEM,
  feed: 'tarnwick/host',
  feed_name: 'Host',
  refused: 0,
  unknown: 0,
  meters: [],
  open: [],
};
type NotPricedRow = Schemas['NotPricedUsageBody'];
const asked: unknown[] = [];

beforeEach(() => {
  asked.length = 0;
  for (const method of ['PUT', 'DELETE'] as const)
    vi.spyOn(api, method).mockImplementation(((path: string, options: { body?: unknown }) => {
      asked.push([method, path, options.body]);
      return Promise.resolve({ data: {} });
    }) as never);
});
afterEach(() => vi.restoreAllMocks());

function page(
  items: FeedBalance[],
  { over = true, rights = ['bill'], notPriced = [] as NotPricedRow[] } = {},
) {
  const session = { now: '2026-10-05T09:00:00Z', memberships: [{ organisation: 'tarnwick', rights }] };
  const key = feedBalancesOptions('tarnwick', '2026-09').queryKey;
  const found = {
    organisation: 'tarnwick',
    period: '2026-09',
    over,
    items,
    as_of: session.now,
    waiting: false,
  };
  drawn(
    <FeedBalancesPage />,
    [
      [sessionOptions.queryKey, session as unknown as Session],
      [key, found],
      [notPricedOptions('tarnwick', '2026-09').queryKey, { ...found, items: notPriced }],
    ],
    '/feed-balances?period=2026-09',
  );
}

it('what is nowhere has no column', () => {
  expect(columnsOf([METER])).toEqual(['measured', 'charged', 'nobodys']);
  expect(columnsOf([])).toEqual(['measured', 'charged']);
});

it('says how far a month is', () => {
  expect(stateWords(ITEM, false)).toBe('The month is not over');
  expect(stateWords(ITEM, true)).toBe('Open sums, not signed off');
  expect(stateWords(QUIET, true)).toBe('All accounted for, not signed off');
  expect(stateWords({ ...ITEM, sign_off: SIGNED }, true)).toMatch(
    /^Signed off by Finn on .* with open sums: a fair$/,
  );
});

it('is signed off with a reason where sums are open', async () => {
  page([ITEM, QUIET]);
  expect(screen.getByText('Nothing came in by Host.')).toBeInTheDocument();
  expect(screen.getByText('and 1 replaced')).toBeInTheDocument();
  expect(screen.getByRole('link', { name: 'See why' })).toHaveAttribute(
    'href',
    '/feeds?feed=tarnwick/north-fell',
  );
  press('Sign off: North Fell');
  press('Sign off');
  expect(await screen.findByText('Say why it is signed off with open sums')).toBeInTheDocument();
  expect(asked).toEqual([]);
  type(/Why/, 'a fair');
  press('Sign off');
  await waitFor(() => expect(asked).toEqual([['PUT', '/api/v1/feeds/sign-off', { reason: 'a fair' }]]));
});

it('a change since is told, and the sign-off withdrawn', async () => {
  page([{ ...ITEM, sign_off: SIGNED }]);
  expect(screen.getByText('It has become another since it was signed off.')).toBeInTheDocument();
  expect(screen.getByRole('button', { name: 'Sign off as it is now: North Fell' })).toBeEnabled();
  press('Withdraw the sign-off of North Fell');
  press('Withdraw it');
  await waitFor(() => expect(asked).toEqual([['DELETE', '/api/v1/feeds/sign-off', undefined]]));
});

it('what is used and not charged leads to where that is mended', () => {
  const row = {
    meter: 'compute/vcpu',
    meter_name: 'Compute: Processors',
    unit: 'vCPU-second',
    reason: 'no rate',
    organisation: 'gull',
    organisation_name: 'Gull Books',
    attributes: { size: 'large' },
    resources: 3,
    examples: ['vm-1', 'vm-2', 'vm-3'],
    quantity: '86400',
  };
  const promised = { ...row, meter: 'promised/processors', reason: 'no limit', resources: 0, quantity: '0' };
  page([ITEM], { notPriced: [row, { ...row, reason: 'no subscription', attributes: {} }, promised] });
  expect(screen.getByRole('link', { name: 'there is no limit to charge' })).toHaveAttribute(
    'href',
    '/organisations/gull/quotas',
  );
  expect(screen.getByRole('link', { name: 'no rate prices it with size large' })).toHaveAttribute(
    'href',
    '/rate-cards',
  );
  expect(screen.getByRole('link', { name: 'no subscription takes it' })).toHaveAttribute(
    'href',
    '/organisations/gull/subscriptions',
  );
  expect(screen.getAllByText('3: vm-1, vm-2 …')).toHaveLength(2);
  expect(screen.getAllByText('24 vCPU-hours')).toHaveLength(2);
});

it('who may not bill, or before the month is over, is offered nothing', () => {
  page([ITEM], { rights: ['read money'] });
  expect(screen.queryByRole('button', { name: /^Sign off/ })).toBeNull();
});
