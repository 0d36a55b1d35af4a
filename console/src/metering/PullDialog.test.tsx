/** From where a feed is fetched: what is said of one kind is not asked of another. */
import { fireEvent, screen, waitFor } from '@testing-library/react';
import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { type Session, sessionOptions } from '../access/session';
import { api } from '../shared/api';
import { drawn, press, type } from '../shared/drawn.testing';
import { PullDialog } from './PullDialog';
import type { Pull } from './pulls';

const NONE = {
  feed: 'tarnwick/drop',
  version: 0,
  kind: null,
  pull: null,
  has_secret: false,
} as unknown as Pull;
const asked: { path: string; body: unknown }[] = [];

beforeEach(() => {
  asked.length = 0;
  vi.spyOn(api, 'GET').mockImplementation((() => Promise.resolve({ data: { items: [] } })) as never);
  for (const method of ['PUT', 'POST'] as const)
    vi.spyOn(api, method).mockImplementation(((path: string, { body }: { body: unknown }) => {
      asked.push({ path, body });
      return Promise.resolve({
        data: { reached: true, said: '3 files', readings: [], problems: [], count: 0, refused: 0 },
      });
    }) as never);
});
afterEach(() => vi.restoreAllMocks());

async function choose(kind: string) {
  // By its role: while the list of before fades out it bears the same label.
  fireEvent.mouseDown(await screen.findByRole('combobox', { name: /What is asked/ }));
  fireEvent.click(await screen.findByRole('option', { name: kind }));
  await waitFor(() => expect(screen.queryByRole('listbox')).toBeNull());
}

it('files are tried and fetched without any query', async () => {
  const closed = vi.fn();
  const session = { now: '2026-11-28T09:00:00Z', memberships: [{ organisation: 'tarnwick', rights: [] }] };
  drawn(
    <PullDialog feed={{ path: 'tarnwick/drop', name: 'Drop', senders: [] }} pull={NONE} onClose={closed} />,
    [[sessionOptions.queryKey, session as unknown as Session]],
  );
  expect(screen.getByLabelText(/In its language/)).toBeInTheDocument();
  await choose('A directory of this machine');
  expect(screen.queryByLabelText(/In its language/)).toBeNull();
  expect(screen.queryByLabelText(/Token or password/)).toBeNull();
  type(/Directory/, 'drop/daily');
  press('Try it');
  expect(await screen.findByText('Reached: 3 files.')).toBeInTheDocument();
  press('Fetch it from here on');
  await waitFor(() => expect(closed).toHaveBeenCalled());
  const pull = { kind: 'directory', endpoint: 'drop/daily', names: '*', queries: [] };
  expect(asked.map((each) => each.path)).toEqual(['/api/v1/feeds/pull/try', '/api/v1/feeds/pull']);
  expect(asked[1]?.body).toMatchObject({ version: 0, pull, secret: null });
});

it('what measures is asked something', async () => {
  drawn(
    <PullDialog feed={{ path: 'tarnwick/drop', name: 'Drop', senders: [] }} pull={NONE} onClose={vi.fn()} />,
    [
      [
        sessionOptions.queryKey,
        {
          now: '2026-11-28T09:00:00Z',
          memberships: [{ organisation: 'tarnwick', rights: [] }],
        } as unknown as Session,
      ],
    ],
  );
  await choose('A directory of this machine');
  await choose('The metric service of an OpenStack cloud');
  type(/Address of its identity service/, 'https://identity.example:5000/v3');
  press('Fetch it from here on');
  expect(await screen.findByText('What is asked', { selector: 'p' })).toBeInTheDocument();
  expect(asked).toEqual([]);
});

it('of servers is asked what counts, in its unit', async () => {
  const session = { now: '2026-11-28T09:00:00Z', memberships: [{ organisation: 'tarnwick', rights: [] }] };
  drawn(
    <PullDialog feed={{ path: 'tarnwick/drop', name: 'Drop', senders: [] }} pull={NONE} onClose={vi.fn()} />,
    [[sessionOptions.queryKey, session as unknown as Session]],
  );
  await choose('The servers of an OpenStack cloud');
  expect(screen.queryByLabelText(/In its language/)).toBeNull();
  expect(screen.queryByLabelText(/Samples every/)).toBeNull();
  expect(screen.getByLabelText(/Phases, by status/)).toBeInTheDocument();
  expect(screen.queryByLabelText(/^Unit/)).toBeNull();
  fireEvent.mouseDown(screen.getByRole('combobox', { name: /Counts/ }));
  fireEvent.click(await screen.findByRole('option', { name: 'its virtual processors' }));
  expect(await screen.findByLabelText(/^Unit/)).toHaveValue('');
});
