/** The last step of coming on board: whether something was measured in each account. */
import { screen } from '@testing-library/react';
import { expect, it, vi } from 'vitest';
import { api } from '../shared/api';
import { drawn } from '../shared/drawn.testing';
import { FirstReadings } from './OnboardingSteps';

it('is told account by account', async () => {
  const of = (account: string, metered: boolean, first_day: string | null) => ({
    ...{ account, metered, first_day, cloud_name: 'North Fell' },
  });
  const items = [of('a', true, '2026-10-09'), of('b', true, null), of('c', false, null)];
  vi.spyOn(api, 'GET').mockResolvedValue({ data: { items, next: null }, response: new Response() } as never);
  drawn(<FirstReadings customer="gull" />);
  expect(await screen.findByText(/of a in North Fell: done, 9 Oct/)).toBeVisible();
  expect(screen.getByText(/of b in North Fell: not yet/)).toBeVisible();
  expect(screen.getByText(/of c in North Fell: its cloud’s usage comes by no feed/)).toBeVisible();
});
