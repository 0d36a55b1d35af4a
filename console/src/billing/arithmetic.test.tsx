/** How the arithmetic of a charge is said: in the unit that is priced, the base unit as a remark. */
import { screen } from '@testing-library/react';
import { expect, it } from 'vitest';
import { drawn } from '../shared/drawn.testing';
import { Arithmetic } from './Arithmetic';
import type { Explanation } from './invoices';

const WHY = {
  kind: 'per_unit',
  rate: 'vcpu',
  rate_card_version: 2,
  starts_on: '2026-09-01',
  quantity: '237312000',
  base_unit: 'vCPU-second',
  unit: 'vCPU-hour',
  base_units_per_unit: '3600',
  covered_by_allowance: '7200',
  amount: '10.5',
  blocks: [
    { from: '0', in_units: '60000', price: '0.0001', amount: '6' },
    { from: '216000000', in_units: '5918', price: '0.00076', amount: '4.5' },
  ],
} as unknown as Explanation;
const draw = (why: Explanation) => drawn(<Arithmetic why={why} card="tenants-eur" currency="EUR" />);
const text = () => document.body.textContent.replace(/[\u2009\u202f]/g, ' ');

it('says quantities and the beginnings of blocks in the unit that is priced', () => {
  draw(WHY);
  expect(text()).toContain('Used: 65 920 vCPU-hours, measured as 237 312 000 vCPU-seconds.');
  expect(text()).toContain('Allowances cover 2 vCPU-hours of it.');
  expect(screen.getByRole('columnheader', { name: 'From, vCPU-hours' })).toBeInTheDocument();
  expect(screen.getAllByRole('row')[2]).toHaveTextContent(/^60.0005.918×/);
});

it('divides exactly where a unit is a fraction of base units', () => {
  draw({ ...WHY, quantity: '3', base_units_per_unit: '1/2', unit: 'double', base_unit: 'piece' });
  expect(text()).toContain('Used: 6 doubles, measured as 3 pieces.');
});

it('says what quotas promised, with the limits that it was made from', () => {
  const limit = { holder: 'gull', holder_name: 'Gull Books', site: null, limit: '40', unit: 'vCPU' };
  const limits = [{ ...limit, start: '2026-11-01T00:00:00Z', end: '2026-11-16T12:00:30Z' }];
  draw({ ...WHY, kind: 'allocation', limits } as Explanation);
  expect(text()).toContain('Promised: 65 920 vCPU-hours, counted as 237 312 000 vCPU-seconds.');
  expect(screen.getByRole('table', { name: 'What quotas promised' })).toHaveTextContent(
    /Gull Booksall sites40.vCPU2026-11-01 00:00/,
  );
});

it('leaves fees in seconds of their term, and lots in what fills them', () => {
  draw({ ...WHY, kind: 'lots', quantity: '5000', base_unit: 'request', unit: 'lot' });
  expect(text()).toContain('Used: 5 000 requests, in lots; one begun is charged whole.');
});

it('says of a share whose what is committed and not used is', () => {
  const shared = { ...WHY, over: 'buyer', shared: { quantity: '3600', amount: '90' } } as Explanation;
  draw(shared);
  expect(text()).toContain('this charge is the share of one, in proportion to quantity.');
  draw({ ...shared, committed_not_used: '36000' });
  expect(text()).toContain(
    'in proportion to quantity; what is committed and not used is on those that are neither paused nor on trial.',
  );
});
