/** What is offered to whom, whom a card is for and what falls to which, in words; forms that keep what both kinds have. */
import { describe, expect, it } from 'vitest';
import { conditionWords } from '../subscriptions/subscriptions';
import { whomWords } from './catalogue';
import { change } from './fields';
import { reaches, toWords } from './offers';
import { kindOf, withKind } from './RateEditor';
import { perWords, priceRows, whatWords } from './rates';

describe('whom a rate card is for', () => {
  it.each([
    [undefined, 'any'],
    ['tenants', 'tenants'],
    [{ organisations: ['oxbow', 'gannet'], countries: ['IE'] }, 'oxbow, gannet'],
    [{ type: 'tenants', countries: ['GB', 'IE'] }, 'tenants in GB, IE'],
    [{ segments: ['school', 'shop'] }, 'any of segment school or shop'],
  ])('%j is %s', (buyers, words) => {
    expect(whomWords(buyers)).toBe(words);
  });
});

describe('to whom an offer is made', () => {
  it.each([
    [undefined, 'everybody'],
    ['all', 'everybody'],
    ['resellers', 'all resellers'],
    [[], 'nobody'],
    [['oxbow', 'gannet/customs'], 'oxbow, gannet/customs'],
  ])('%j is %s', (to, words) => {
    expect(toWords(to)).toBe(words);
  });
  it.each([
    [undefined, true],
    ['tenants', true],
    ['resellers', false],
    [[], false],
    [['gannet-two'], false],
    [['oxbow', 'gannet/customs'], true],
  ])('%j reaches the tenant gannet: %s', (to, reached) => {
    expect(reaches(to, { slug: 'gannet', type: 'tenant' })).toBe(reached);
  });
});

describe('what a rule asks for', () => {
  it('names every condition', () => {
    expect(
      conditionWords({
        service: 'compute',
        resource: { prefix: 'dish' },
        where: { size: ['large', 'gpu'], disk: { contains: 'archive' } },
      }),
    ).toBe('service compute, resource beginning with dish, size large or gpu, disk with archive in it');
  });
});

describe('a rate of another kind', () => {
  const blocks = [{ to: '10', price: '2' }, { price: '1' }];
  const stepped = { rate: 'egress', meter: 'network/egress', per: 'GiB', where: { way: 'out' }, blocks };

  it('keeps what both kinds have', () => {
    expect(withKind(stepped, 'reached')).toEqual({
      rate: 'egress',
      meter: 'network/egress',
      per: 'GiB',
      where: { way: 'out' },
      blocks,
      'at-reached-step': true,
    });
    expect(withKind(stepped, 'fee')).toEqual({ rate: 'egress', fee: '', price: '' });
  });

  it('becomes a fixed cost spread by the same meter', () => {
    const spread = { ...withKind(stepped, 'spread'), spread: '1200' };
    expect(spread).toEqual({ rate: 'egress', spread: '1200', by: 'network/egress' });
    expect(kindOf(spread)).toBe('spread');
    const names = {
      meter: (slug: string) => `meter ${slug}`,
      service: (slug: string) => `service ${slug}`,
      tier: (plan: string, tier: string) => `${tier} of ${plan}`,
    };
    expect(whatWords(spread, names)).toBe('fixed cost, spread by meter network/egress');
    expect(whatWords({ rate: 'f', fee: 'open-range/moor' }, names)).toBe('fee of moor of open-range');
    expect(whatWords({ rate: 'e', meter: 'network/egress' }, names)).toBe('meter network/egress');
    expect(whatWords({ rate: 'c', commitment: '5', services: ['compute'] }, names)).toBe(
      'minimum spend on service compute',
    );
    expect([perWords(spread), priceRows(spread)]).toEqual(['month', [{ range: '', price: '1200' }]]);
  });

  it.each(['price', 'blocks', 'reached', 'lots', 'markup', 'fee', 'commitment', 'spread'] as const)(
    'is recognised as %s',
    (kind) => {
      expect(kindOf(withKind({ rate: 'r' }, kind))).toBe(kind);
    },
  );
});

describe('a changed form', () => {
  it('leaves an empty value out and keeps the order of the others', () => {
    expect(Object.entries(change({ a: '1', b: '2' }, 'a', '3'))).toEqual([
      ['a', '3'],
      ['b', '2'],
    ]);
    expect(change({ a: '1', b: '2' }, 'a', '')).toEqual({ b: '2' });
    expect(change({ a: '1' }, 'c', [])).toEqual({ a: '1' });
    expect(change({ a: '1' }, 'c', { d: '' })).toEqual({ a: '1', c: { d: '' } });
  });
});
