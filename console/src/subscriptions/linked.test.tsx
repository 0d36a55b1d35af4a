/** What is in accounts that are linked already is told before, with what a month of it would cost. */
import { render, screen } from '@testing-library/react';
import { expect, it } from 'vitest';
import { Linked } from './Linked';

const ACCOUNT = { cloud_name: 'Cumulant', account: 'c-1', measured: true, owners: [], resources: 2 };
const USED = [
  { meter: 'compute/vcpu', meter_name: 'Compute: Processors', unit: 'vCPU-second', quantity: '7200' },
];

it('says what is there, whose it is, and what next month would cost', () => {
  render(
    <Linked
      found={{
        accounts: [{ ...ACCOUNT, since: '2026-11-01', used: USED }],
        monthly: [{ currency: 'EUR', amount: '808.50' }],
        not_priced: ['Storage: Kept'],
      }}
    />,
  );
  const there = screen.getByRole('region', { name: 'In account c-1 of Cumulant' });
  expect(there).toHaveTextContent('2 resources since');
  expect(there).toHaveTextContent('nobody’s until now');
  expect(there).toHaveTextContent('Compute: Processors: 2 vCPU-hours');
  expect(screen.getByText(/next month with fees/).parentElement).toHaveTextContent('808.50');
  expect(screen.getByRole('alert')).toHaveTextContent('Not in that: Storage: Kept.');
});

it('says where nothing was used, and where nothing measures', () => {
  const accounts = [
    { ...ACCOUNT, since: null, used: [] },
    { ...ACCOUNT, account: 'c-2', measured: false, since: null, used: [] },
  ];
  render(<Linked found={{ accounts, monthly: [], not_priced: [] }} />);
  expect(screen.getByText(/Nothing was used there/)).toBeVisible();
  expect(screen.getByText(/No feed measures this cloud/)).toBeVisible();
  expect(screen.queryByRole('alert')).toBeNull();
});
