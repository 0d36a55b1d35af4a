/** What comes in by feeds: which is late, and what was refused as a file. */
import { screen } from '@testing-library/react';
import { describe, expect, it, vi } from 'vitest';
import { api } from '../shared/api';
import { drawn } from '../shared/drawn.testing';
import { Arrivals, span } from './Arrivals';
import type { Arrival } from './metering';

const QUIET: Arrival = {
  ...{ feed: 'tarnwick/a', feed_name: 'A', pace: 'nothing yet', last_delivery: null, every_hours: null },
  ...{ here_until: null, hours_behind: null, items: 0, usual_items: null, refused: 0 },
};
const LATE: Arrival = {
  ...{ feed: 'tarnwick/b', feed_name: 'B', pace: 'late', last_delivery: '2026-09-01T10:00:00Z' },
  ...{ every_hours: 1, here_until: '2026-09-01T09:00:00Z', hours_behind: 75, items: 3, usual_items: 1200 },
  refused: 4,
};

describe('what comes in', () => {
  it('says of each feed how it stands', async () => {
    vi.spyOn(api, 'GET').mockResolvedValue({
      data: { items: [QUIET, LATE], next: null },
      response: new Response(),
    } as never);
    drawn(<Arrivals organisation="tarnwick" />);
    expect(await screen.findByText('late')).toBeVisible();
    expect(screen.getByText('3 days')).toBeVisible();
    expect(screen.getByRole('link', { name: 'B' })).toHaveAttribute('href', '/?feed=tarnwick%2Fb');
    expect(screen.getByRole('link', { name: 'Refused of B as CSV' })).toHaveAttribute(
      'href',
      '/api/v1/refused-items/file?feed=tarnwick%2Fb',
    );
  });

  it('tells hours until they are days', () => {
    expect([span(null), span(1), span(47), span(48)]).toEqual(['', '1 hour', '47 hours', '2 days']);
  });
});
