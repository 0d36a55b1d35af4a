/** What is said of a what-if while it is made, when it failed, and of what it came to. */
import { cleanup, fireEvent, screen, waitFor, within } from '@testing-library/react';
import { afterEach, beforeEach, expect, it, vi } from 'vitest';
import { api } from '../shared/api';
import { drawn, type } from '../shared/drawn.testing';
import { WhatIfOutcome } from './WhatIfOutcome';
import { type WhatIf, whatIfOptions } from './whatIfs';

const sum = (service: string, before: string, after: string, difference: string, currency = 'EUR') => ({
  service: service.toLowerCase(),
  service_name: service,
  currency,
  before,
  after,
  difference,
  buyers: 4,
  differing: difference === '0' ? 0 : 2,
});
const DONE = {
  id: 'w',
  seller: 'tarnwick',
  period: '2026-10',
  cards: [{ rate_card: 'tenants-eur', name: 'Tenants, euro' }],
  state: 'done',
  problem: null,
  made: 4,
  total: 4,
  sums: [
    sum('Backup', '10', '10', '0'),
    sum('Compute', '100', '90.5', '-9.5'),
    sum('Network', '20', '21.25', '1.25'),
    sum('Compute', '7', '7', '0', 'GBP'),
  ],
  not_priced: [{ meter: 'backup/kept', meter_name: 'Backup: Data kept', buyers: 1 }],
} as unknown as WhatIf;
const asked: unknown[] = [];

beforeEach(() => {
  asked.length = 0;
  vi.spyOn(api, 'GET').mockImplementation(((_: string, options: { params: { query: object } }) => {
    asked.push(options.params.query);
    return Promise.resolve({
      data: {
        items: [{ ...sum('Compute', '50', '40', '-10'), buyer: 'a', buyer_name: 'Brasswick' }],
        next: null,
      },
    });
  }) as never);
});
afterEach(() => {
  vi.restoreAllMocks();
});
const draw = (changes: Partial<WhatIf>) =>
  drawn(<WhatIfOutcome id="w" />, [[whatIfOptions('w').queryKey, { ...DONE, ...changes }]]);

it('says how far it is, and that one may leave', () => {
  draw({ state: 'running', made: 1200, total: 4000 });
  expect(screen.getByRole('status')).toHaveTextContent(
    /October 2026 with Tenants, euro: 1.200 of 4.000 customers are priced. You may leave; it goes on./,
  );
  expect(screen.getByRole('progressbar')).toHaveAttribute('aria-valuenow', '30');
});

it('leads to its steps where it needs a hand', () => {
  draw({ state: 'needs a hand', problem: 'the card is gone' });
  expect(screen.getByText(/the card is gone/)).toBeInTheDocument();
  expect(screen.getByRole('link')).toHaveAttribute('href', '/record/work?task=w');
});

it('puts what differs most first, with exact sums, and one line where nothing does', () => {
  draw({});
  const table = screen.getByRole('table', { name: 'What would have been, EUR' });
  const rows = within(table).getAllByRole('row').slice(1);
  expect(rows.map((row) => within(row).getAllByRole('cell')[0]?.textContent)).toEqual([
    'Compute',
    'Network',
    'Backup',
    '',
  ]);
  expect(rows[3]).toHaveTextContent(/−8.25.*130.00.*121.75/);
  expect(rows[0]).toHaveTextContent(/−9.50.*2 of 4/);
  expect(screen.getByText('Nothing would differ: 7.00 GBP in all.')).toBeInTheDocument();
  expect(screen.getByText(/Nothing would have priced Backup: Data kept of one customer/)).toBeInTheDocument();
});

it('asks for the customers who differ, for all of them, and for those of a name', async () => {
  draw({});
  expect(await screen.findByText('Brasswick')).toBeInTheDocument();
  expect(asked).toEqual([{ differing: true, search: '', after: null, limit: 200 }]);
  fireEvent.click(screen.getByLabelText('Also what would not differ'));
  type('Customer has', 'opera');
  await waitFor(() =>
    expect(asked.at(-1)).toEqual({ differing: false, search: 'opera', after: null, limit: 200 }),
  );
});

it('says that nothing was sold, or that nothing would differ', () => {
  draw({ sums: [] });
  expect(screen.getByText('Nothing was sold in October 2026')).toBeInTheDocument();
  cleanup();
  draw({ sums: [sum('Compute', '7', '7', '0')], not_priced: [] });
  expect(screen.getByText('Nothing would differ')).toBeInTheDocument();
  expect(asked).toEqual([]);
});
