import { describe, expect, it } from 'vitest';
import { SERIES, colours } from '../shared/palette';
import { formatUnit } from '../shared/units';
import { outlook } from './outlook';
import type { SpendCurrency } from './spending';

const row = (service: string, day: string, amount: string) => ({
  keys: [
    { id: service, name: service },
    { id: day, name: day },
  ],
  amount,
});

describe('where a month is heading', () => {
  const days = Array.from({ length: 10 }, (_, index) => `2026-10-${String(index + 1).padStart(2, '0')}`);
  const found = {
    total: { amount: '203' },
    rows: [
      ...days.map((day) => row('compute', day, '10')),
      row('compute', '2026-10-11', '3'),
      ...days.map((day) => row('', day, '10')),
      row('', '2026-10-12', '10'),
      row('one-off', '2026-10-05', '500'),
    ],
  } as unknown as SpendCurrency;

  it('goes on at the mean of the last whole days, the day under way filled up', () => {
    const ahead = outlook(found, '2026-10-11', '2026-10-01', '2026-10-14');
    expect([...(ahead?.rest.get('compute') ?? [])]).toEqual([
      ['2026-10-11', '7'],
      ['2026-10-12', '10'],
      ['2026-10-13', '10'],
    ]);
    expect(ahead?.total).toBe('230');
  });

  it('repeats neither fees nor what comes once', () => {
    const ahead = outlook(found, '2026-10-11', '2026-10-01', '2026-10-14');
    expect([...(ahead?.rest.keys() ?? [])]).toEqual(['compute']);
  });

  it('says nothing before a day is over, or after the month', () => {
    expect(outlook(found, '2026-10-01', '2026-10-01', '2026-11-01')).toBeNull();
    expect(outlook(found, '2026-11-01', '2026-10-01', '2026-11-01')).toBeNull();
  });
});

describe('colours', () => {
  it('are those of the place among all, and never shared in one chart', () => {
    const ranks = new Map(['a', 'b', 'c', 'd', 'e', 'f', 'g', 'h', 'i'].map((key, index) => [key, index]));
    const alone = colours('light', ['c'], ranks).get('c');
    expect(colours('light', ['b', 'c', 'i', 'a'], ranks).get('c')).toBe(alone);
    const all = colours('light', [...ranks.keys(), 'one-off'], ranks);
    expect(new Set(all.values()).size).toBe(10);
    expect(colours('light', ['i', 'one-off'], ranks).get('i')).toBe(all.get('i'));
    // Customers have no place: theirs are by size.
    expect([...colours('light', ['x', 'y'], new Map()).values()]).toEqual(SERIES.light.slice(0, 2));
  });
});

describe('units', () => {
  it('are in the plural where there are several, and a month of 730 hours says so', () => {
    expect(formatUnit('hour', '24')).toBe('hours');
    expect(formatUnit('vCPU-hour', '1')).toBe('vCPU-hour');
    expect(formatUnit('GiB-month730', '3')).toBe('GiB-months (730 h)');
    expect(formatUnit('GiB', '3')).toBe('GiB');
  });
});
