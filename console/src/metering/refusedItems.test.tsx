/** What was refused of a delivery: shown with its reason, and to be taken away whole. */
import { screen } from '@testing-library/react';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { api } from '../shared/api';
import { drawn } from '../shared/drawn.testing';
import { RefusedItemsDialog } from './RefusedItems';
import type { Delivery } from './metering';

const FEED = { path: 'tarnwick/north-fell', name: 'North Fell', senders: [] };
const DELIVERY = {
  ...{ id: 'd-1', received_at: '2026-09-01T10:00:00Z', accepted: 1, known: 0, refused: 2 },
  ...{ first_refusal: 'owner is not known', file: 'a.csv', taken_back_at: null, takes_back: null },
} as Delivery;
const answer = (items: unknown[]) => ({ data: { items, next: null }, response: new Response() }) as never;

beforeEach(() => {
  vi.restoreAllMocks();
});

describe('what was refused', () => {
  it('is told item by item, and the file has all of it', async () => {
    const item = {
      position: 1,
      id: 'line 2',
      field: 'owner',
      reason: 'owner is not known',
      sent: '{"a": 1}',
    };
    vi.spyOn(api, 'GET').mockResolvedValue(answer([item]));
    drawn(<RefusedItemsDialog feed={FEED} delivery={DELIVERY} onClose={() => undefined} />);
    expect(await screen.findByText('{"a": 1}')).toBeVisible();
    expect(screen.getByText(/The first 1 of 2/)).toBeVisible();
    expect(screen.getByRole('link', { name: 'Save as CSV' })).toHaveAttribute(
      'href',
      '/api/v1/refused-items/file?feed=tarnwick%2Fnorth-fell&delivery=d-1',
    );
  });

  it('is not kept for ever', async () => {
    vi.spyOn(api, 'GET').mockResolvedValue(answer([]));
    drawn(<RefusedItemsDialog feed={FEED} delivery={DELIVERY} onClose={() => undefined} />);
    expect(await screen.findByText('Nothing of it is kept')).toBeVisible();
    expect(screen.queryByRole('link', { name: 'Save as CSV' })).toBeNull();
  });
});
