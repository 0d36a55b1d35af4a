/** What is expected in a month: in which units it is written, and what of a month before is put there. */
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { fireEvent, render, screen } from '@testing-library/react';
import { describe, expect, it, vi } from 'vitest';
import type { PlanForm, ServiceForm } from '../catalogue/catalogue';
import { choicesOf, metersOf } from '../catalogue/offered';
import { usageOptions } from '../metering/metering';
import { Expected, anyWrong, expectedOf, type Uses } from './Expected';

const BACKUP = {
  service: 'backup',
  name: 'Backup',
  attributes: { place: {} },
  choices: {
    place: { name: 'Where copies are', values: ['near', 'far'] },
    key: { name: 'Whose key', values: ['ours', 'yours'] },
  },
  meters: {
    kept: { name: 'Kept', unit: 'byte-second' },
    read: { name: 'Read back', unit: 'byte' },
    machines: { name: 'Machines', unit: 'machine-second' },
    calls: { name: 'Calls', unit: 'call' },
  },
} as unknown as ServiceForm;
const MAIL = {
  service: 'mail',
  name: 'Mail',
  meters: { sent: { name: 'Sent', unit: 'mail' } },
} as unknown as ServiceForm;
const PLAN = { plan: 'stone-barn', services: ['backup'] } as unknown as PlanForm;
const METERS = metersOf(PLAN, [BACKUP, MAIL]);

describe('what the services of a plan have', () => {
  it('leaves out what the plan does not have', () => {
    expect(METERS.map(({ key }) => key)).toEqual([
      'backup/kept',
      'backup/read',
      'backup/machines',
      'backup/calls',
    ]);
    expect(choicesOf(PLAN, [MAIL, BACKUP]).map(([key]) => key)).toEqual(['backup/place', 'backup/key']);
    expect(choicesOf(PLAN, [MAIL])).toEqual([]);
  });
});

describe('what is expected', () => {
  const use = (quantity: string, more: Partial<Uses[string]> = {}) => ({
    quantity,
    unit: '',
    attributes: {},
    ...more,
  });

  it('is only what was written as a number, in the unit shown beside it', () => {
    expect(
      expectedOf(METERS, {
        'backup/kept': use('12.5'),
        'backup/read': use(''),
        'backup/machines': use('1,5'),
        'backup/calls': use('3', { unit: 'k-call', attributes: { place: 'far' } }),
      }),
    ).toEqual([
      { meter: 'backup/kept', quantity: '12.5', unit: 'GiB-month730', attributes: { place: 'near' } },
      { meter: 'backup/calls', quantity: '3', unit: 'k-call', attributes: { place: 'far' } },
    ]);
  });

  it('is not left out in silence where it is no number', () => {
    const typed = { 'backup/calls': use('1,5') };
    expect(anyWrong(METERS, typed)).toBe(true);
    expect(anyWrong(METERS, { 'backup/calls': use(''), 'mail/sent': use('1,5') })).toBe(false);
    render(
      <QueryClientProvider client={new QueryClient()}>
        <Expected
          organisation=""
          now="2026-11-18T12:00:00Z"
          meters={METERS}
          uses={typed}
          onChange={vi.fn()}
        />
      </QueryClientProvider>,
    );
    expect(screen.getByText('A number, as in 12.5')).toBeInTheDocument();
    expect(screen.getByLabelText('Quantity of Backup: Calls')).toBeInvalid();
  });

  it('is put there as in the month before, each exactly in the unit it is thought of in', () => {
    const client = new QueryClient({ defaultOptions: { queries: { staleTime: Infinity, retry: false } } });
    client.setQueryData(usageOptions('gannet', '2026-10', []).queryKey, {
      items: [
        // 500,000 GiB of 1,073,741,824 bytes over 730 hours of 3,600 seconds, by hand.
        { meter: 'backup/kept', quantity: '1410896756736000000000' },
        { meter: 'backup/read', quantity: '1610612736' },
        { meter: 'backup/machines', quantity: '5400' },
        { meter: 'backup/calls', quantity: '17' },
        { meter: 'mail/sent', quantity: '9' },
      ],
    } as never);
    const changed = vi.fn();
    render(
      <QueryClientProvider client={client}>
        <Expected
          organisation="gannet"
          now="2026-11-18T12:00:00Z"
          meters={METERS}
          uses={{}}
          onChange={changed}
        />
      </QueryClientProvider>,
    );
    fireEvent.click(screen.getByRole('button', { name: 'As in October' }));
    expect(changed).toHaveBeenCalledExactlyOnceWith({
      'backup/kept': use('500000', { unit: 'GiB-month730' }),
      'backup/read': use('1.5', { unit: 'GiB' }),
      'backup/machines': use('1.5', { unit: 'machine-hour' }),
      'backup/calls': use('17', { unit: 'call' }),
    });
  });
});
