/** Measures of the provider's own: listed in words, defined, retired, and why not. */
import { fireEvent, screen, waitFor } from '@testing-library/react';
import { beforeEach, expect, it, vi } from 'vitest';
import { Refusal, api } from '../shared/api';
import { drawn, press, type } from '../shared/drawn.testing';
import { OwnMeasures } from './OwnMeasures';
import { type Measure, measureChoices, unitOfMeasure } from './measures';

const own = { metered: true, defined: true, counts: null };
const SEATS: Measure = { measure: 'seats', unit: 'seat', kind: 'stock', ...own };
const LOOKUPS: Measure = { measure: 'lookups', unit: 'lookup', kind: 'rate', ...own };
const MEMORY: Measure = { measure: 'memory', unit: 'GiB', kind: 'stock', ...own, defined: false };
const KEYS: Measure = {
  measure: 'keys',
  unit: 'key',
  kind: 'count',
  ...own,
  metered: false,
  counts: 'tokens',
};
const answer = (data: unknown) => ({ data, response: new Response() }) as never;

beforeEach(() => {
  vi.restoreAllMocks();
  vi.spyOn(api, 'GET').mockResolvedValue(answer({ items: [MEMORY, SEATS, LOOKUPS, KEYS], next: null }));
});

it('has only what the provider defined, with what is limited', async () => {
  drawn(<OwnMeasures />);
  expect(await screen.findByText('Seats: what is had at a time, in seats')).toBeInTheDocument();
  expect(screen.getByText('Lookups: what flows in a second, in lookups')).toBeInTheDocument();
  expect(screen.getByText('Keys: tokens of programs that it has, in keys')).toBeInTheDocument();
  expect(screen.queryByText(/Memory/)).toBeNull();
});

it('defines one, and says what is wrong with a name before it asks', async () => {
  const put = vi.spyOn(api, 'PUT').mockResolvedValue(answer(SEATS));
  drawn(<OwnMeasures />);
  fireEvent.click(await screen.findByRole('button', { name: 'Define a measure' }));
  type(/^Name/, 'Many Seats');
  type(/^Unit/, 'seat');
  press('Define it');
  expect(await screen.findByText(/Small letters/)).toBeInTheDocument();
  expect(put).not.toHaveBeenCalled();
  type(/^Name/, 'seats');
  press('Define it');
  await waitFor(() => expect(put).toHaveBeenCalledOnce());
  expect(put.mock.calls[0]?.[1]).toEqual({
    body: { measure: 'seats', unit: 'seat', kind: 'stock', counts: null },
  });
  expect(await screen.findByText(/Seats can be limited/)).toBeInTheDocument();
});

it('defines what the service counts itself', async () => {
  const put = vi.spyOn(api, 'PUT').mockResolvedValue(answer(KEYS));
  drawn(<OwnMeasures />);
  fireEvent.click(await screen.findByRole('button', { name: 'Define a measure' }));
  type(/^Name/, 'contracts');
  type(/^Unit/, 'contract');
  fireEvent.mouseDown(screen.getByRole('combobox', { name: /^What is limited/ }));
  fireEvent.click(screen.getByRole('option', { name: 'subscriptions that it has' }));
  press('Define it');
  await waitFor(() => expect(put).toHaveBeenCalledOnce());
  expect(put.mock.calls[0]?.[1]).toEqual({
    body: { measure: 'contracts', unit: 'contract', kind: 'count', counts: 'subscriptions' },
  });
});

it('says why one cannot be retired, and takes it back when it can', async () => {
  const gone = vi
    .spyOn(api, 'DELETE')
    .mockRejectedValueOnce(
      new Refusal(409, 'conflict', 'there are limits or pools of seats; take them back first'),
    )
    .mockResolvedValueOnce(answer(undefined));
  const put = vi.spyOn(api, 'PUT').mockResolvedValue(answer(SEATS));
  drawn(<OwnMeasures />);
  fireEvent.click(await screen.findByRole('button', { name: 'Retire seats' }));
  expect(await screen.findByText(/take them back first/)).toBeInTheDocument();
  press('Retire seats');
  expect(await screen.findByText(/No limits of seats are given any more/)).toBeInTheDocument();
  expect(gone).toHaveBeenCalledTimes(2);
  press('Undo');
  await waitFor(() => expect(put).toHaveBeenCalledOnce());
});

it('stands among what can be chosen, in its unit', () => {
  expect(measureChoices([MEMORY, LOOKUPS])).toEqual([
    ['memory', 'Memory, GiB'],
    ['lookups', 'Lookups a second, lookup'],
  ]);
  expect(unitOfMeasure([SEATS], 'seats')).toBe('seat');
  expect(unitOfMeasure([SEATS], 'beds')).toBe('beds');
});
