import { describe, expect, it } from 'vitest';
import { stacked } from './SpendChart';
import { times } from '../shared/dates';
import type { SpendCurrency, SpendRow } from './spending';

const row = (id: string | null, time: string, amount: string): SpendRow => ({
  keys: [
    { id, name: id ?? 'The rest' },
    { id: time, name: time },
  ],
  amount,
  compared: null,
  before: null,
  change_percent: null,
  costs: [],
  margin: null,
  margin_percent: null,
  others: 0,
});

describe('spend over time', () => {
  it('has every day or month of a range, in order, also those without charges', () => {
    expect(times('2026-10-30', '2026-11-02', 'day')).toEqual(['2026-10-30', '2026-10-31', '2026-11-01']);
    expect(times('2025-12-01', '2026-03-01', 'month')).toEqual(['2025-12', '2026-01', '2026-02']);
  });

  it('stacks the largest first and the rest last, each with an amount for each time', () => {
    const found = {
      rows: [
        row(null, '2026-09', '900'),
        row('network', '2026-09', '3.10'),
        row('compute', '2026-10', '5.25'),
        row('compute', '2026-09', '4'),
        row('nothing', '2026-09', '0'),
      ],
    } as SpendCurrency;
    expect(stacked(found, ['2026-09', '2026-10'])).toEqual([
      { key: 'compute', name: 'compute', amounts: ['4', '5.25'] },
      { key: 'network', name: 'network', amounts: ['3.10', '0'] },
      { key: null, name: 'The rest', amounts: ['900', '0'] },
    ]);
  });
});
