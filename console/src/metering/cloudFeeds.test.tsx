/** Which clouds a feed measures: said, and changed by those who manage feeds. */
import { fireEvent, screen, waitFor } from '@testing-library/react';
import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { api } from '../shared/api';
import { drawn, press } from '../shared/drawn.testing';
import { type CloudFeed, cloudFeedsOptions, measuredWords } from './cloudFeeds';
import { OfClouds } from './OfClouds';

const FEED = { path: 'tarnwick/north-fell', name: 'North Fell', senders: [] };
const cloud = (id: string, feed: string | null, accounts = 0, owned = accounts): CloudFeed => ({
  id,
  cloud: id,
  cloud_name: id.toUpperCase(),
  feed,
  accounts,
  owned,
});
const asked: string[] = [];

beforeEach(() => {
  asked.length = 0;
  vi.spyOn(api, 'GET').mockImplementation((() => Promise.resolve({ data: { items: [] } })) as never);
  for (const method of ['PUT', 'DELETE'] as const)
    vi.spyOn(api, method).mockImplementation(((
      _: string,
      options: { params: { path: { cloud: string } } },
    ) => {
      asked.push(`${method} ${options.params.path.cloud}`);
      return Promise.resolve({ data: {} });
    }) as never);
});
afterEach(() => vi.restoreAllMocks());

it.each([
  [[cloud('a', 'f')], 'of the customer that has it.'],
  [[cloud('a', 'f', 1)], 'that has it: 1 account by now.'],
  [
    [cloud('a', 'f', 3, 2), cloud('b', 'f', 2)],
    'that has it: 5 accounts by now, 1 of them of no project yet.',
  ],
])('says how many accounts are whose', (clouds, ends) => {
  expect(measuredWords(clouds)).toMatch(new RegExp(`${ends.replaceAll('.', '\\.')}$`));
});

const shown = (clouds: CloudFeed[], manages = true) =>
  drawn(<OfClouds feed={FEED} manages={manages} />, [[cloudFeedsOptions('tarnwick').queryKey, clouds]]);

it('is set for those that are chosen, and taken from those that are not any more', async () => {
  shown([cloud('fell', FEED.path, 2), cloud('quay', null)]);
  expect(await screen.findByText(/^Usage of FELL comes by it/)).toBeInTheDocument();
  press('Change');
  fireEvent.click(screen.getByRole('checkbox', { name: 'FELL' }));
  fireEvent.click(screen.getByRole('checkbox', { name: 'QUAY' }));
  press('Save');
  await waitFor(() => expect(asked).toEqual(['DELETE fell', 'PUT quay']));
});

it('is offered to those who manage feeds, and says nothing without a cloud', async () => {
  shown([cloud('quay', null)]);
  expect(await screen.findByRole('button', { name: 'It measures a cloud' })).toBeInTheDocument();
});

it('is not changed by others', async () => {
  shown([cloud('fell', FEED.path, 2)], false);
  expect(await screen.findByText(/^Usage of FELL/)).toBeInTheDocument();
  expect(screen.queryByRole('button')).toBeNull();
});
