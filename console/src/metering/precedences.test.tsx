/** Which feed counts where several measure the same: said, changed, and compared. */
import { fireEvent, screen, waitFor } from '@testing-library/react';
import { afterEach, expect, it, vi } from 'vitest';
import { type Session, sessionOptions } from '../access/session';
import { api } from '../shared/api';
import { drawn, press } from '../shared/drawn.testing';
import { Comparison } from './Comparison';
import { GivesWay } from './GivesWay';
import { comparisonOptions, type First, precedencesOptions } from './precedences';

const FEEDS = ['north', 'probe', 'spare'].map((slug) => ({
  path: `tarnwick/${slug}`,
  name: `Feed ${slug}`,
  senders: [],
}));
const SESSION = { now: '2026-10-05T09:00:00Z', memberships: [{ organisation: 'tarnwick', rights: [] }] };
afterEach(() => vi.restoreAllMocks());

function way(to: First[], { manages = true, feeds = FEEDS, fixedBefore = null as string | null } = {}) {
  const [, feed] = FEEDS;
  if (!feed) throw new Error('no feed');
  drawn(<GivesWay feed={feed} feeds={feeds} manages={manages} />, [
    [sessionOptions.queryKey, SESSION as unknown as Session],
    [
      precedencesOptions('tarnwick').queryKey,
      to.length ? [{ feed: 'tarnwick/probe', to, fixed_before: fixedBefore }] : [],
    ],
  ]);
}

it('is chosen among the other feeds, from the first of the month', async () => {
  const asked: unknown[] = [];
  vi.spyOn(api, 'PUT').mockImplementation(((_: string, options: { body: unknown }) => {
    asked.push(options.body);
    return Promise.resolve({ data: {} });
  }) as never);
  way([]);
  expect(screen.queryByRole('alert')).toBeNull();
  press('Let it give way');
  expect(screen.queryByLabelText('Feed probe')).toBeNull();
  fireEvent.click(screen.getByLabelText('Feed north'));
  fireEvent.click(screen.getByLabelText('Feed spare'));
  fireEvent.click(screen.getByLabelText('Feed spare'));
  press('Save');
  await waitFor(() => expect(asked).toEqual([{ to: [{ feed: 'tarnwick/north', starts_on: '2026-10-01' }] }]));
});

it('keeps the days there were, and ends where none is chosen', async () => {
  const asked: unknown[] = [];
  vi.spyOn(api, 'PUT').mockImplementation(((_: string, options: { body: unknown }) => {
    asked.push(options.body);
    return Promise.resolve({ data: {} });
  }) as never);
  const to = [
    { feed: 'tarnwick/north', starts_on: '2026-08-01' },
    { feed: 'tarnwick/spare', starts_on: '2026-09-01' },
  ];
  way(to);
  expect(screen.getByRole('alert')).toHaveTextContent(/Gives way to Feed north \(from .*\), Feed spare/);
  press('Change');
  press('Save');
  await waitFor(() => expect(asked).toEqual([{ to }]));
});

it('is told to who may not change it, and is no matter where there is one feed', () => {
  way([{ feed: 'tarnwick/north', starts_on: '2026-08-01' }], { manages: false });
  expect(screen.getByRole('alert')).toBeInTheDocument();
  expect(screen.queryByRole('button')).toBeNull();
  document.body.innerHTML = '';
  way([], { feeds: FEEDS.slice(1, 2) });
  expect(screen.queryByText(/gives way/)).toBeNull();
});

it('says what it does not reach: what is archived', () => {
  const to = [{ feed: 'tarnwick/north', starts_on: '2026-08-01' }];
  way(to, { fixedBefore: '2026-09-01' });
  expect(screen.getByRole('alert')).toHaveTextContent(/What was measured before September 2026 is archived/);
  document.body.innerHTML = '';
  way(to, { fixedBefore: '2026-08-01' });
  expect(screen.getByRole('alert')).not.toHaveTextContent(/archived/);
});

it('what both measured is compared when somebody wants it', () => {
  const amounts = { measured: '7200', counted: '3600', difference: '3600' };
  const meter = { meter: 'm', meter_name: 'Processors', unit: 'vCPU-second', resources: 3, differing: 1 };
  const found = { meters: [{ ...meter, ...amounts, examples: [{ resource: 'vm-1', ...amounts }] }] };
  drawn(<Comparison feed="tarnwick/probe" period="2026-09" />, [
    [comparisonOptions('tarnwick/probe', '2026-09').queryKey, found],
  ]);
  expect(screen.queryByRole('table')).toBeNull();
  press('Compare with what counted');
  expect(screen.getByText(/3 resources measured by both, of which 1 differ/)).toBeInTheDocument();
  expect(screen.getAllByRole('row')[2]).toHaveTextContent(/^vm-12.vCPU-hours1.vCPU-hour1.vCPU-hour/);
});
