/** Of which meter something is: written as lines, said in words, listed, and tried. */
import { fireEvent, screen, waitFor } from '@testing-library/react';
import { afterEach, expect, it, vi } from 'vitest';
import { servicesOptions } from '../catalogue/catalogue';
import { api } from '../shared/api';
import { drawn, press } from '../shared/drawn.testing';
import { KindDialog, kindRuleOf, type KindValues } from './KindDialog';
import {
  attributesOf,
  kindMoveWords,
  kindWords,
  sentWith,
  takenLines,
  triedWords,
  valueOf,
  whereOf,
  type KindPreview,
  type Tried,
} from './kinds';
import { TrialDialog } from './TrialDialog';

afterEach(() => vi.restoreAllMocks());

const VALUES: KindValues = {
  name: ' GPUs ',
  meter: 'gpu/hours',
  attributes: 'size = large\nmodel from card',
  read_as: 'hour',
  times: 'gpu_count',
  starts_on: '2026-11-01',
  sent: 'vm*',
  unit: '',
  feed: 'north',
  account: '',
  resource: '',
  where: 'gpu_count >= 1\nclass = fast, faster\nzone = north-1',
};

it('writes what is taken so that it is read again', () => {
  const taken = { size: 'flavour', region: 'availability zone' };
  expect(attributesOf(takenLines(taken))).toEqual({ attributes: {}, taken });
  expect(takenLines({})).toBe('');
});

it('reads lines, and says which cannot be', () => {
  expect(attributesOf('size = large\n\n model from the card ')).toEqual({
    attributes: { size: 'large' },
    taken: { model: 'the card' },
  });
  expect(attributesOf('size large')).toBeNull();
  expect(attributesOf('size = a\nsize from b')).toBeNull();
  expect(whereOf('gpus >= 1\nclass = a, b')).toEqual({ gpus: { 'at-least': '1' }, class: ['a', 'b'] });
  expect(whereOf('class')).toBeNull();
  expect(valueOf('vm-*')).toEqual({ prefix: 'vm-' });
});

it('makes a rule of what is written, and says it', () => {
  const rule = kindRuleOf(VALUES);
  expect(rule).toEqual({
    name: 'GPUs',
    meter: 'gpu/hours',
    attributes: { size: 'large' },
    taken: { model: 'card' },
    unit: 'hour',
    times: 'gpu_count',
    starts_on: '2026-11-01',
    ends_on: null,
    conditions: {
      feed: 'north',
      meter: { prefix: 'vm' },
      where: { gpu_count: { 'at-least': '1' }, class: ['fast', 'faster'], zone: 'north-1' },
    },
  });
  expect(kindWords(rule)).toBe('gpu/hours with size large, model as card says, in hours, times gpu_count');
  expect(kindWords({ ...rule, attributes: {}, taken: {}, unit: null, times: null })).toBe('gpu/hours');
  expect(sentWith({ card: ['m4', 'm5'], zone: ['n'] })).toBe('card m4, m5; zone n');
});

it('says what moves, and why something would be unknown', () => {
  const move = {
    sent_meter: 'vm-hours',
    sent_unit: 'Hrs',
    before: null,
    after: 'gpu/hours',
    rule: 'GPUs',
    why: null,
    resources: 2,
    readings: 4,
    first_day: '2026-11-01',
    last_day: '2026-11-01',
    attributes: [],
    quantity: { meter: 'gpu/hours', meter_name: 'GPU: Time', unit: 'second', quantity: '7200' },
  };
  const preview: KindPreview = {
    from_day: '2026-11-01',
    fixed_before: null,
    moves: [move],
    unknown: 0,
    more: false,
  };
  expect(kindMoveWords(preview)[0]).toMatch(
    /^4 readings of 2 resources, .*, sent as vm-hours: from unknown to gpu\/hours\. 2 hours\.$/,
  );
  const lost = { ...move, before: 'gpu/hours', after: null, quantity: null, why: 'no rule says so' };
  expect(kindMoveWords({ ...preview, moves: [lost] })[0]).toMatch(
    /from gpu\/hours to unknown\. no rule says so\.$/,
  );
  expect(kindMoveWords({ ...preview, moves: [{ ...lost, before: null }] })[0]).toMatch(
    /sent as vm-hours: still unknown\. no rule says so\.$/,
  );
  expect(kindMoveWords({ ...preview, moves: [] })).toEqual([
    'Nothing that came in is of another kind by that.',
  ]);
  expect(kindMoveWords({ ...preview, from_day: null })).toEqual(['Nothing changes.']);
});

const TRIED: Tried = {
  meter: null,
  attributes: {},
  quantity: null,
  taken_by: [
    { name: 'GPUs', conditions: 2 },
    { name: 'Cores', conditions: 1 },
  ],
  why: 'it is too fine',
  owner: null,
  owner_rule: null,
};

it('says what a reading would be, by which rule, and whose', () => {
  expect(triedWords(TRIED)).toEqual([
    'It is of unknown kind: it is too fine.',
    'Rule GPUs counts, with 2 conditions.',
    'Rule Cores takes it too, and is less specific.',
    'It is nobody’s, where it names no owner.',
  ]);
  const quantity = { meter: 'gpu/hours', meter_name: 'GPU time', unit: 'second', quantity: '3600' };
  const found = { ...TRIED, meter: 'gpu/hours', attributes: { model: 'm4' }, quantity, why: null };
  expect(triedWords({ ...found, taken_by: [], owner: 'gull/shop', owner_rule: 'Teams' })).toEqual([
    'It is GPU time with model m4: 1 hour.',
    'No rule takes it.',
    'It is gull/shop’s, by rule Teams.',
  ]);
});

it('tries a reading and keeps standing', async () => {
  const asked: unknown[] = [];
  vi.spyOn(api, 'POST').mockImplementation(((_: string, options: { body: unknown }) => {
    asked.push(options.body);
    return Promise.resolve({ data: TRIED });
  }) as never);
  drawn(<TrialDialog organisation="tarnwick" day="2026-11-01" onClose={() => undefined} />, []);
  press('Look');
  expect(await screen.findByText('The meter as it is sent')).toBeVisible();
  for (const [label, value] of [
    ['Sent as', 'vm-hours'],
    ['Unit', 'Hrs'],
    ['By feed', 'north'],
    ['Resource', 'vm-1'],
    ['With', 'gpu_count = 2'],
  ] as const)
    fireEvent.change(screen.getByLabelText(new RegExp(`^${label}`)), { target: { value } });
  press('Look');
  await waitFor(() => expect(screen.getByText('Rule GPUs counts, with 2 conditions.')).toBeVisible());
  expect(asked).toEqual([
    {
      meter: 'vm-hours',
      quantity: '1',
      unit: 'Hrs',
      feed: 'north',
      account: null,
      source: '-',
      resource: 'vm-1',
      held: false,
      start: '2026-11-01T00:00:00Z',
      attributes: { gpu_count: '2' },
    },
  ]);
});

it('shows what a rule changes, and sets it beside the others', async () => {
  const asked: unknown[] = [];
  vi.spyOn(api, 'POST').mockResolvedValue({
    data: { from_day: '2026-11-01', fixed_before: null, moves: [], unknown: 0, more: false },
  } as never);
  vi.spyOn(api, 'PUT').mockImplementation(((_: string, options: { body: unknown }) => {
    asked.push(options.body);
    return Promise.resolve({ data: {} });
  }) as never);
  const rules = { organisation: 'tarnwick', version: 3, rules: [], order: [] };
  const form = { service: 'gpu', name: 'GPU', meters: { hours: { name: 'Time', unit: 'second' } } };
  drawn(<KindDialog rules={rules} initial={VALUES} onClose={() => undefined} />, [
    [servicesOptions.queryKey, [{ slug: 'gpu', form }] as never],
  ]);
  expect(await screen.findByText('Nothing that came in is of another kind by that.')).toBeVisible();
  press('Set the rule');
  await waitFor(() => expect(asked).toEqual([{ version: 3, rules: [kindRuleOf(VALUES)] }]));
});
