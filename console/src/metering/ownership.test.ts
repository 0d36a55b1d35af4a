/** Rules of ownership and what they change, in words. */
import { expect, it } from 'vitest';
import { formatMoney } from '../shared/decimal';
import { ruleOf } from './OwnerDialog';
import {
  billedWords,
  conditionWords,
  moveWords,
  ownerWords,
  pathsOf,
  type Preview,
  sharesOf,
  tableOf,
  wholeOf,
} from './ownership';

const WRITTEN = {
  name: ' Gull ',
  customer: 'gull',
  project: 'shop',
  shares: '',
  meter: '',
  divided: '',
  among: '',
  whole: '',
  remainder: '',
  by: 'account',
  table: '',
  way: 'one' as const,
  starts_on: '2026-09-01',
  account: 'acc-*',
  resource: ' ',
  feed: 'north-fell',
};

it('reads shares a line each, and refuses what is none', () => {
  expect(sharesOf('gull/shop 3\n  tern/boats  1.5 \n\n')).toEqual({ 'gull/shop': '3', 'tern/boats': '1.5' });
  for (const wrong of ['gull 3', 'gull/shop', 'gull/shop 3\ngull/shop 1', 'gull/shop -1'])
    expect(sharesOf(wrong)).toBeNull();
  const rule = ruleOf({ ...WRITTEN, way: 'several', shares: 'gull/shop 3\ntern/boats 1' });
  expect([rule.owner, rule.shares]).toEqual([null, { 'gull/shop': '3', 'tern/boats': '1' }]);
  expect(ownerWords(rule)).toBe('gull/shop (3), tern/boats (1)');
  expect(ownerWords(ruleOf(WRITTEN))).toBe('gull/shop');
});

it('divides by usage, of a whole whose rest is somebody’s', () => {
  const written = {
    ...WRITTEN,
    way: 'usage' as const,
    account: '',
    feed: '',
    divided: ' network/egress ',
    meter: 'compute/vcpu',
    among: 'gull/shop\ntern/boats, ',
    whole: '64 vCPU',
    remainder: ' gull/office ',
  };
  const rule = ruleOf(written);
  expect([rule.conditions, rule.by_usage, rule.remainder, rule.owner, rule.shares]).toEqual([
    { meter: 'network/egress' },
    { meter: 'compute/vcpu', feeds: [], among: ['gull/shop', 'tern/boats'], whole: '64', unit: 'vCPU' },
    'gull/office',
    null,
    null,
  ]);
  expect(ownerWords(rule)).toBe(
    'gull/shop, tern/boats by what each used of compute/vcpu, the rest gull/office',
  );
  expect(ownerWords(ruleOf({ ...written, among: '', remainder: '' }))).toBe(
    'each by what it used of compute/vcpu',
  );
  expect([wholeOf('2.5'), wholeOf('much'), pathsOf('gull'), pathsOf('')]).toEqual([
    { whole: '2.5', unit: null },
    null,
    null,
    [],
  ]);
  const parts = ruleOf({ ...written, way: 'several', shares: 'gull/shop 30' });
  expect([ownerWords(parts), parts.by_usage, parts.conditions]).toEqual([
    'gull/shop (30), the rest gull/office',
    null,
    {},
  ]);
});

it('reads a table a line each, and refuses what is none', () => {
  expect(tableOf('acc-1, gull/shop\nacc 2;tern/boats\n\n')).toEqual({
    'acc-1': 'gull/shop',
    'acc 2': 'tern/boats',
  });
  expect(tableOf('')).toEqual({});
  for (const wrong of ['acc-1', 'acc-1 gull', 'acc-1 gull/shop\nacc-1 tern/boats'])
    expect(tableOf(wrong)).toBeNull();
  const written = { ...WRITTEN, way: 'value' as const, table: 'acc-1 gull/shop' };
  const rule = ruleOf(written);
  expect([rule.owner, rule.shares, rule.by, rule.owners]).toEqual([
    null,
    null,
    'account',
    { 'acc-1': 'gull/shop' },
  ]);
  expect(ownerWords(rule)).toBe('whom account names, of 1 in a table');
  const itself = ruleOf({ ...written, by: ' where.team ', table: ' ' });
  expect([itself.by, itself.owners, ownerWords(itself)]).toEqual([
    'where.team',
    null,
    'whom where.team names',
  ]);
});

it('says conditions in words', () => {
  expect(
    conditionWords({
      account: { prefix: 'acc-' },
      resource: ['a', 'b'],
      where: { size: 'large', disk: { contains: 'fast' } },
    }),
  ).toBe('account beginning with acc-, resource a or b, size large, disk containing fast');
  expect(
    conditionWords({
      feed: 'probe',
      any: [{ where: { gpus: { 'at-least': '1' } } }, { resource: { pattern: 'vm-.*' }, meter: 'a/b' }],
      none: [{ account: { present: true } }],
    }),
  ).toBe('feed probe, gpus at least 1 or (resource like vm-.* and meter a/b), not account said');
});

it('reads a star at the end as a beginning, and leaves out what is not said', () => {
  expect(ruleOf(WRITTEN)).toEqual({
    name: 'Gull',
    owner: 'gull/shop',
    shares: null,
    by_usage: null,
    remainder: null,
    by: null,
    owners: null,
    starts_on: '2026-09-01',
    ends_on: null,
    conditions: { account: { prefix: 'acc-' }, feed: 'north-fell' },
  });
});

const preview = (values: Partial<Preview>): Preview => ({
  from_day: '2026-09-01',
  organisations: [],
  seen: null,
  fixed_before: null,
  moves: [],
  nobodys: 0,
  more: false,
  ...values,
});

it('says what would be whose', () => {
  expect(moveWords(preview({ from_day: null }))).toEqual(['Nothing changes.']);
  expect(moveWords(preview({}))).toEqual(['Nothing that came in becomes anybody else’s by that.']);
  const [words = ''] = moveWords(
    preview({
      moves: [
        {
          before: null,
          after: 'gull/shop',
          rule: 'Gull',
          resources: 2,
          readings: 1200,
          first_day: '2026-09-03',
          last_day: '2026-09-03',
          quantities: [{ meter: 'network/egress', meter_name: 'Sent', unit: 'byte', quantity: '2048' }],
          costs: [],
        },
      ],
    }),
  );
  expect(words.replace(/\s/g, ' ')).toBe(
    '1 200 readings of 2 resources, 3 Sep: from nobody to gull/shop. Sent 2 KiB',
  );
});

it('tells the months that are billed already', () => {
  const [sentence] = billedWords([
    { period: '2026-09', buyer: 'oxbow', buyer_name: 'Oxbow', currency: 'EUR', billed: '1234.5' },
  ]);
  expect(sentence).toContain(`September 2026 is billed to Oxbow, ${formatMoney('1234.5', 'EUR')} EUR`);
});
