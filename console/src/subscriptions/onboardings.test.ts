import { expect, test } from 'vitest';
import type { PlanForm } from '../catalogue/catalogue';
import { policyWords } from './OnboardingPolicies';
import {
  type Onboarding,
  type Wanted,
  calls,
  howFar,
  monthlyWords,
  newTier,
  tiersOnOffer,
  valuesOf,
  wantedOf,
} from './onboardings';

const PLAN = {
  plan: 'open-range',
  name: 'Open Range',
  services: ['compute'],
  trial: { days: '14', then: 'ends' },
  terms: { version: '2', text: 'Be kind.' },
  tiers: [
    { tier: 'heath', name: 'Heath' },
    { tier: 'moor', name: 'Moor' },
  ],
} as unknown as PlanForm;
const SELLER = { country: 'GB', currency: 'GBP' };
const WRITTEN: Wanted = {
  name: 'Gull',
  slug: 'gull',
  type: 'tenant',
  country: 'GB',
  currency: 'GBP',
  billing_zone: 'Europe/London',
  cost_centre: null,
  segment: null,
  starts_on: null,
  details: null,
  limits: { processors: '8', storage: null },
  sites: ['north-fell'],
  offers: ['peat-hoard'],
  second_factor: true,
  welcome: 'Good to have you.',
  cloud_accounts: [
    { cloud: 'north-fell', name: null, link: null, people: true, project: null, billed_from: null },
    {
      cloud: 'south-quay',
      name: 'gull-files',
      link: 'acc-7',
      people: false,
      project: 'shop',
      billed_from: '2026-11-02',
    },
  ],
  projects: [{ slug: 'shop', name: 'Shop', cost_centre: 'C 7' }],
  people: [
    {
      email: 'gwen@gull.example',
      role: 'administrator',
      services: ['compute'],
      cloud_user: false,
      programs: [{ name: 'Till sync', role: 'finance', days: 30 }],
    },
  ],
  subscriptions: [
    {
      plan: 'open-range',
      tier: 'moor',
      name: 'Kept name',
      quantity: 2,
      starts_on: '2026-12-01',
      ends_on: null,
      trial_until: null,
      project: 'shop',
      choices: { 'compute/size': 'large' },
      accepted_terms: '2',
    },
  ],
};
const again = (wanted: Partial<Wanted>) => wantedOf(valuesOf(wanted, SELLER), wanted, [PLAN], '2026-11-27');

test('a draft that is opened and saved is as it was, what the page does not show included', () => {
  expect(again(WRITTEN)).toEqual(WRITTEN);
});

test('a new one begins with what follows from its seller, and rows that are empty are not there', () => {
  const values = valuesOf({}, SELLER);
  expect([values.country, values.currency, values.type, values.tiers, values.people.length]).toEqual([
    'GB',
    'GBP',
    'tenant',
    [newTier()],
    1,
  ]);
  expect(again({})).toMatchObject({ name: '', subscriptions: [], people: [], projects: [], limits: {} });
});

test('a tax number is kept beside what else is on paper, and taken away again', () => {
  const values = { ...valuesOf(WRITTEN, SELLER), tax_id: ' GB980780684 ' };
  const given = wantedOf(values, WRITTEN, [PLAN], '2026-11-27');
  expect(given.details).toMatchObject({ tax_id: 'GB980780684', town: null });
  expect(
    wantedOf(
      { ...values, tax_id: '' },
      { ...given, details: { ...given.details, town: 'Harbour' } },
      [PLAN],
      '',
    ).details,
  ).toMatchObject({ tax_id: null, town: 'Harbour' });
});

test('a trial ends with its days, from the day on which the tier begins', () => {
  const values = valuesOf({}, SELLER);
  const tiers = [{ ...newTier(), tier: 'open-range/heath', on_trial: true, accepted: true }];
  const [made] = wantedOf({ ...values, tiers }, {}, [PLAN], '2026-11-27').subscriptions ?? [];
  expect(made).toMatchObject({
    plan: 'open-range',
    tier: 'heath',
    quantity: 1,
    trial_until: '2026-12-11',
    ends_on: '2026-12-11',
    accepted_terms: '2',
  });
  const later = wantedOf({ ...values, tiers, starts_on: '2027-01-01' }, {}, [PLAN], '2026-11-27');
  expect(later.subscriptions?.[0]?.trial_until).toBe('2027-01-15');
});

test('what stands still until somebody looks is said so, and comes first', () => {
  const of = (state: Onboarding['state'], task: string | null) =>
    ({ state, task: task && { state: task } }) as unknown as Onboarding;
  expect(howFar(of('running', 'running'))).toBe('Comes on board, step by step');
  expect(howFar(of('running', 'needs a hand'))).toBe('Needs a hand');
  // The second look after it was taken back is nobody's business.
  expect(howFar(of('undone', 'needs a hand'))).toBe('Taken back');
  expect([of('waiting', null), of('undoing', 'needs a hand'), of('done', 'done')].map(calls)).toEqual([
    true,
    true,
    false,
  ]);
});

const PROCESSORS = [
  {
    measure: 'processors',
    unit: 'vCPU',
    kind: 'stock' as const,
    metered: true,
    defined: false,
    counts: null,
  },
];

test('tiers, fees and bounds in words', () => {
  expect(tiersOnOffer([PLAN])).toEqual([
    ['open-range/heath', 'Open Range Heath'],
    ['open-range/moor', 'Open Range Moor'],
  ]);
  expect(
    monthlyWords([
      { amount: '204.5', currency: 'EUR' },
      { amount: '9', currency: 'GBP' },
    ]),
  ).toBe('204.50 EUR and 9.00 GBP');
  expect(policyWords([], { subject: 'GBP', amount: '250' })).toBe('More than 250.00 GBP of fees a month');
  expect(policyWords(PROCESSORS, { subject: 'processors', amount: '16' })).toBe(
    'Processors: limits of more than 16 vCPU in a month',
  );
});
