import { describe, expect, it } from 'vitest';
import { changesOf } from './members';

describe('what an entry changed', () => {
  it('names values that came to be others, and those only', () => {
    expect(
      changesOf({ before: { role: 'viewer', disabled: false }, after: { role: 'finance', disabled: false } }),
    ).toEqual(['role viewer → finance']);
  });
  it('names what was given, and what was there', () => {
    expect(changesOf({ before: null, after: { gross: '12.00 EUR', ends_on: null } })).toEqual([
      'gross 12.00 EUR',
    ]);
    expect(changesOf({ before: { amount: '5 EUR' }, after: null })).toEqual(['amount 5 EUR']);
  });
  it('tells few texts, and what has parts by its parts', () => {
    const choices = { 'compute/size': 'small', 'block-storage/disk': 'fast' };
    expect(changesOf({ before: { sites: [] }, after: { sites: ['north-fell', 'south-quay'] } })).toEqual([
      'sites none → north-fell, south-quay',
    ]);
    expect(
      changesOf({ before: null, after: { choices, terms: {}, rules: ['a', 'b', 'c', 'd', 'e'] } }),
    ).toEqual(['choices compute/size small, block-storage/disk fast', 'terms none', 'rules 5 entries']);
  });
  it('says nothing as none, truth in words, lists by length', () => {
    expect(changesOf({ before: { limit: null }, after: { limit: '4' } })).toEqual(['limit none → 4']);
    expect(changesOf({ before: null, after: { held: true, differences: [1, 2] } })).toEqual([
      'held yes',
      'differences 2 entries',
    ]);
  });
});
