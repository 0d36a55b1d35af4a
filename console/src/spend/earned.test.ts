import { describe, expect, it } from 'vitest';
import type { Schemas } from '../shared/api';
import { compare, percent, subtract, sum } from '../shared/decimal';
import { earnedBy } from './earned';

type Row = Schemas['MonthMarginBody'];

const row = (buyer: string, service: string, charged: string, ...costs: [string, string][]): Row => ({
  buyer,
  buyer_name: buyer.toUpperCase(),
  service,
  service_name: service.toUpperCase(),
  currency: 'EUR',
  charged,
  costs: costs.map(([currency, amount]) => ({ source: 'tarnwick', currency, amount })),
  margin: null,
  percent: null,
});

describe('what is earned', () => {
  const rows = [
    row('oxbow', 'network', '10.00', ['EUR', '4.5']),
    row('oxbow', 'compute', '5.00', ['EUR', '5.5']),
    row('quillstone', 'network', '0', ['EUR', '3']),
  ];

  it('adds up by buyer', () => {
    const [table] = earnedBy(rows, 'buyer');
    expect(table?.currency).toBe('EUR');
    expect(table?.rows.map((each) => [each.buyer, each.charged, each.margin, each.percent])).toEqual([
      ['OXBOW', '15', '5', '33.3'],
      ['QUILLSTONE', '0', '-3', null],
    ]);
  });

  it('comes to the same by service and by both', () => {
    const margins = (['buyer', 'service', 'both'] as const).map((by) =>
      sum(earnedBy(rows, by).flatMap((table) => table.rows.map((each) => each.margin ?? '0'))),
    );
    for (const margin of margins) expect(compare(margin, '2')).toBe(0);
    expect(earnedBy(rows, 'both')[0]?.rows).toHaveLength(3);
    expect(earnedBy(rows, 'service')[0]?.rows).toHaveLength(2);
  });

  it('takes nothing off in another currency, and says so', () => {
    const [table] = earnedBy([...rows, row('oxbow', 'backup', '1', ['GBP', '9'])], 'buyer');
    expect(table?.rows[0]).toMatchObject({ charged: '16', margin: null, percent: null });
    expect(table?.rows[0]?.costs).toEqual([
      { currency: 'EUR', amount: '10' },
      { currency: 'GBP', amount: '9' },
    ]);
  });

  it('keeps currencies apart', () => {
    const yen = { ...row('moorhen', 'network', '700', ['JPY', '200']), currency: 'JPY' };
    expect(earnedBy([...rows, yen], 'buyer').map((table) => table.currency)).toEqual(['EUR', 'JPY']);
    expect(earnedBy([], 'buyer')).toEqual([]);
  });
});

describe('percent', () => {
  it('rounds half up, away from zero, to one place', () => {
    expect(percent('1', '3')).toBe('33.3');
    expect(percent('2', '3')).toBe('66.7');
    expect(percent('0.0005', '1')).toBe('0.1');
    expect(percent('-0.0005', '1')).toBe('-0.1');
    expect(percent('-3', '-4')).toBe('75.0');
    expect(percent('0', '5')).toBe('0.0');
    expect(percent('5', '0.00')).toBeNull();
  });

  it('agrees with itself: a part and the rest make the whole within a tenth', () => {
    for (const part of ['0.01', '1', '33.333', '99.99', '100']) {
      const both = sum([percent(part, '100') ?? '', percent(subtract('100', part), '100') ?? '']);
      expect(compare(subtract(both, '100'), '0.11')).toBeLessThan(0);
      expect(compare(subtract('100', both), '0.11')).toBeLessThan(0);
    }
  });
});
