import { describe, expect, it } from 'vitest';
import { type Look, type Mapping, columnOf, hasOurColumns, mappingOf, valuesOf } from './fileMappings';

const LOOK: Look = {
  columns: ['Line', 'Day', 'Sent', 'attribute.size', 'What'],
  rows: [],
  count: 2,
  delimiter: ';',
  encoding: 'utf-8',
  guess: {
    columns: { start: 'Day', quantity: 'Sent', meter: 'What' },
    attributes: { size: 'attribute.size' },
    identity: ['Day'],
    meters: { out: '' },
    times: '%d/%m/%Y',
    lasts: 'day',
    decimal: ',',
    doubts: [],
  },
  readings: [],
  given: 0,
  refused: 0,
  problems: [],
};
const SAVED: Mapping = {
  identity: ['Line', 'Day'],
  measured: [
    {
      quantity: { column: 'Sent', text: null, values: {} },
      meter: { column: 'What', text: null, values: { out: 'network/egress' } },
      unit: { column: null, text: 'GB', values: {} },
    },
    {
      quantity: { column: 'Held', text: null, values: {} },
      meter: { column: null, text: 'addresses/held', values: {} },
      unit: { column: null, text: 'address', values: {} },
    },
  ],
  resource: { column: 'Line', text: null, values: {} },
  start: { column: 'Day', text: null, values: {} },
  end: null,
  lasts: 'day',
  source: { column: null, text: '/lines', values: {} },
  owner: { column: 'Customer', text: null, values: { 7: 'gull/shop' } },
  account: null,
  sequence: null,
  attributes: {},
  times: '%d/%m/%Y',
  zone: 'Europe/Dublin',
  decimal: ',',
  delimiter: ';',
  encoding: null,
};

describe('the mapping of a file', () => {
  it('begins with what is guessed, and is none until all that it needs is said', () => {
    const values = valuesOf(LOOK, null);
    expect(values).toMatchObject({
      quantity: 'Sent',
      meter: '[What]',
      resource: '',
      decimal: ',',
      lasts: 'day',
    });
    expect(mappingOf(values, null, LOOK)).toBeNull();
    const said = {
      ...values,
      resource: 'Line',
      unit: 'GB',
      stands: [{ text: 'out', meter: 'network/egress' }],
    };
    expect(mappingOf(said, null, LOOK)).toMatchObject({
      measured: [{ meter: { column: 'What', values: { out: 'network/egress' } }, unit: { text: 'GB' } }],
      attributes: { size: { column: 'attribute.size' } },
      end: null,
      lasts: 'day',
      owner: null,
    });
    expect(mappingOf({ ...said, end: 'Line' }, null, LOOK)).toMatchObject({
      end: { column: 'Line' },
      lasts: null,
    });
  });

  it('keeps what was said before and is not in the form', () => {
    const seen = { ...LOOK, guess: null };
    expect(mappingOf(valuesOf(seen, SAVED), SAVED, seen)).toEqual(SAVED);
    const other = mappingOf({ ...valuesOf(seen, SAVED), owner: 'gull/yard', zone: 'UTC' }, SAVED, seen);
    expect(other).toMatchObject({ owner: { column: null, text: 'gull/yard' }, zone: 'UTC' });
    expect(other?.measured).toHaveLength(2);
  });

  it('is asked for where columns are not ours', () => {
    const head = 'id,owner,resource,meter,quantity,unit,start,end';
    expect(hasOurColumns('a.csv', `\uFEFF${head}\n1`)).toBe(true);
    expect(hasOurColumns('a.csv', head.replaceAll(',', ';'))).toBe(false);
    expect(hasOurColumns('a.jsonl', '{"id":"1","meter":"m","quantity":1,"start":"s","end":"e"}')).toBe(true);
    expect(hasOurColumns('a.jsonl', '{"vm": 1}')).toBe(false);
    expect(hasOurColumns('a.parquet', '')).toBe(false);
    expect([columnOf('[A b]'), columnOf('A'), columnOf(' [x] ')]).toEqual(['A b', null, 'x']);
  });
});
