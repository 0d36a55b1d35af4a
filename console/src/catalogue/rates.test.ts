/** Rates in words, the curve of the unit price, and forms that leave empty fields out. */
import { describe, expect, it } from 'vitest';
import type { Rate } from './catalogue';
import { change } from './fields';
import { kindOf, withKind } from './RateEditor';
import { curve, discountWords, drawable, limitWords, perWords, priceRows, whereWords } from './rates';

const BLOCKS = [{ to: '400', price: '0.02' }, { price: '0.01' }];

describe('a rate in words', () => {
  it('says what it matches and when', () => {
    const rate: Rate = {
      rate: 'r',
      where: {
        disk: { prefix: 'archive-' },
        name: { contains: 'x' },
        site: ['north', 'south'],
        size: 'large',
        phase: ['awake', 'parked'],
      },
      when: { days: ['saturday', 'sunday'], from: '22:00', to: '06:00' },
    };
    expect(whereWords(rate)).toBe(
      'disk beginning with archive-, name containing x, site north or south, size large, while awake or parked, on saturday, sunday 22:00 to 06:00',
    );
    expect(whereWords({ rate: 'r', when: {} })).toBe('');
  });

  it('says what a price is per', () => {
    expect(perWords({ rate: 'f', fee: 'p/t', every: 'quarter', advance: true })).toBe('quarter, in advance');
    expect(perWords({ rate: 'f', fee: 'p/t', every: 'once' })).toBe('piece, once');
    expect(perWords({ rate: 'r', per: 'request', lots: { of: '10000', price: '1' } })).toBe(
      '10\u2009000 requests begun',
    );
  });

  it('says of which cost a percentage is', () => {
    const kept = { rate: 'r', per: 'EUR', markup: { percent: '7', fixed: '1', of: 'effective' as const } };
    expect(perWords(kept)).toBe('effective cost');
    expect(priceRows(kept)).toEqual([{ range: 'and 1 a month', price: '+7 %' }]);
    expect(perWords({ ...kept, markup: { percent: '0.0' } })).toBe('billed cost');
    expect(priceRows({ ...kept, markup: { percent: '0.0' } })).toEqual([{ range: '', price: 'at cost' }]);
  });

  it('gives every block its range', () => {
    expect(priceRows({ rate: 'r', blocks: BLOCKS })).toEqual([
      { range: '0 to 400', price: '0.02' },
      { range: 'above 400', price: '0.01' },
    ]);
    expect(priceRows({ rate: 'r', blocks: BLOCKS, 'at-reached-step': true })[0]?.range).toBe(
      'all, if 0 to 400',
    );
  });

  it('says what bounds it and what a discount takes off', () => {
    expect(limitWords({ rate: 'r', allowance: '10', cap: '5', over: 'buyer' })).toBe(
      'first 10 free, at most 5, counted per buyer',
    );
    expect(discountWords({ discount: 'd', name: 'D', percent: '10', until: '2027-01-01' })).toBe(
      '10 % off on everything until 2027-01-01',
    );
  });
});

describe('the curve of the unit price', () => {
  it('falls with stepped blocks and steps with the whole quantity', () => {
    const stepped = curve(BLOCKS, false).map((point) => point.y);
    expect(stepped[0]).toBeCloseTo(1);
    expect(stepped.every((y, index) => index === 0 || y <= (stepped[index - 1] ?? 0) + 1e-9)).toBe(true);
    expect(new Set(curve(BLOCKS, true).map((point) => point.y))).toEqual(new Set([1, 0.5]));
  });

  it('waits for blocks that are complete and ascend', () => {
    expect(drawable({ rate: 'r', blocks: BLOCKS })).not.toBeNull();
    expect(drawable({ rate: 'r', blocks: [{ to: '', price: '1' }, { price: '1' }] })).toBeNull();
    const falling = [{ to: '5', price: '1' }, { to: '4', price: '1' }, { price: '1' }];
    expect(drawable({ rate: 'r', blocks: falling })).toBeNull();
    expect(drawable({ rate: 'r', price: '1' })).toBeNull();
  });
});

describe('a form', () => {
  it('leaves an empty field out and keeps the order of the others', () => {
    expect(Object.keys(change({ a: '1', b: '2', c: '3' }, 'b', '4'))).toEqual(['a', 'b', 'c']);
    expect(change({ a: '1', b: '2' }, 'b', '')).toEqual({ a: '1' });
    expect(change({ a: '1' }, 'b', [])).toEqual({ a: '1' });
  });

  it('keeps what two kinds of rates have in common', () => {
    const rate: Rate = { rate: 'r', meter: 'm/x', per: 'GiB', where: { size: 'large' }, price: '1' };
    const blocks = withKind(rate, 'blocks');
    expect(kindOf(blocks)).toBe('blocks');
    expect(blocks.where).toEqual({ size: 'large' });
    expect(kindOf(withKind(blocks, 'fee'))).toBe('fee');
    expect(withKind({ ...blocks, blocks: BLOCKS }, 'reached')).toMatchObject({
      blocks: BLOCKS,
      'at-reached-step': true,
    });
  });
});
