/** Feeds that the service fetches: what is written comes back as it was, and how it goes is said in a sentence. */
import { expect, test } from 'vitest';
import { type Pull, NEW_SERVER_QUERY, formOf, pullWords, valuesOf } from './pulls';

const PULL: Pull['pull'] = {
  kind: 'prometheus',
  endpoint: 'https://metrics.example:9090',
  user: null,
  names: '*',
  step_seconds: 300,
  every_minutes: 60,
  settles_minutes: 10,
  starts_at: '2026-11-26T03:00:00Z',
  queries: [
    {
      name: 'sent',
      query: 'sum by (port) (sent_bytes_total)',
      meter: 'network/egress',
      unit: 'byte',
      how: 'counter',
      resource: ['port', 'card'],
      account: null,
      owner: 'project',
      attributes: { site: 'region', size: 'flavour' },
      phases: {},
    },
  ],
};
const BODY: Pull = {
  feed: 'tarnwick/quay',
  name: 'Quay',
  version: 1,
  kind: 'prometheus',
  pull: PULL,
  has_secret: true,
  paused: false,
  complete_until: '2026-11-28T03:00:00Z',
  behind: false,
  problem: null,
  failing_since: null,
  quiet_from: null,
  files: 0,
  refused_files: 0,
  last_run_at: null,
  next_run_at: null,
};

test('what is opened and saved is as it was, its first hour included', () => {
  expect(formOf(valuesOf(PULL, '2026-11-28T09:00:00Z'), PULL)).toEqual(PULL);
});

test('another first day begins at its midnight, and a new one today', () => {
  const values = valuesOf(PULL, '2026-11-28T09:00:00Z');
  expect(formOf({ ...values, starts_at: '2026-11-27' }, PULL).starts_at).toBe('2026-11-27T00:00:00Z');
  expect(valuesOf(null, '2026-11-28T09:00:00Z')).toMatchObject({ starts_at: '2026-11-28', endpoint: '' });
});

test('of files nothing is asked', () => {
  const files = { ...PULL, kind: 'object store' as const, user: 'key', names: '*.csv', queries: [] };
  expect(formOf(valuesOf(files, '2026-11-28T09:00:00Z'), files)).toEqual(files);
  const turned = formOf({ ...valuesOf(PULL, ''), kind: 'directory' }, PULL);
  expect([turned.queries, turned.user]).toEqual([[], null]);
});

test.each([
  [{}, 'The service fetches it: all is here until 2026-11-28 03:00 UTC.'],
  [{ behind: true }, 'less than it should be'],
  [{ problem: 'it does not answer', behind: true }, 'brought nothing: it does not answer.'],
  [{ quiet_from: '2026-11-28T01:00:00Z' }, 'Nothing was measured from 2026-11-28 01:00 on'],
  [{ paused: true }, 'Its fetching rests'],
  [{ kind: 'directory' as const, files: 7 }, 'The service fetches its files: 7 so far.'],
  [{ kind: 'object store' as const, files: 7, refused_files: 2 }, 'of which 2 were not taken.'],
])('%j is said as %s', (change, said) => {
  expect(pullWords({ ...BODY, ...change })).toContain(said);
});

test('servers have phases by their status, and others none', () => {
  const query = {
    ...NEW_SERVER_QUERY,
    name: 'running',
    meter: 'compute/running',
    phases: 'active=awake, shutoff=parked',
  };
  const values = { ...valuesOf(PULL, '2026-11-28T09:00:00Z'), queries: [query] };
  const phases = { active: 'awake', shutoff: 'parked' };
  const [asked] = formOf({ ...values, kind: 'openstack servers' }, PULL).queries ?? [];
  expect(asked).toMatchObject({
    how: 'held',
    unit: 'piece',
    resource: ['id'],
    account: 'project_id',
    phases,
  });
  expect(formOf(values, PULL).queries?.[0]?.phases).toEqual({});
});
