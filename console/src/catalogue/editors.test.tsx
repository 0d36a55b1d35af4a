/** Every field of a written form can be edited, each edits one place, and nothing else is lost on the way. */
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { fireEvent, render, screen, within } from '@testing-library/react';
import type { ReactElement } from 'react';
import { MemoryRouter } from 'react-router';
import { describe, expect, it } from 'vitest';
import { sessionOptions, type Session } from '../access/session';
import { organisationsOptions } from '../organisations/organisations';
import {
  type PlanForm,
  type RateCardForm,
  type ServiceForm,
  plansOptions,
  servicesOptions,
} from './catalogue';
import { Mistakes, placeWords } from './mistakes';
import { OfferEditor } from './OfferEditor';
import { PlanEditor } from './PlanEditor';
import { RateCardEditor } from './RateCardEditor';
import { kindOf, withKind } from './RateEditor';
import { ServiceEditor } from './ServiceEditor';
import type { OfferForm } from './offers';

const SERVICE: ServiceForm = {
  service: 'compute',
  name: 'Compute',
  description: 'Machines.',
  category: 'Compute',
  subcategory: 'Virtual Machines',
  attributes: { size: ['small', 'large'], image: [] },
  meters: {
    vcpu: {
      name: 'Processors',
      unit: 'vCPU-second',
      counted: 'vCPU',
      combine: 'level',
      measure: 'processors',
    },
    peak: {
      name: 'Peak',
      unit: 'byte',
      combine: 'sum',
      statistic: 'p95',
      window: 'period',
      across: 'max',
    },
  },
  phases: ['parked', 'awake'],
  choices: { image: { name: 'Image', values: ['plain', 'hardened'] } },
  sizes: { small: { name: 'Small', amounts: { vcpu: '2 vCPU' } } },
  requires: ['network'],
  excludes: ['racks'],
  supplier: 'Hexaline',
  licence: 'brought',
  internal: { pool: 'a' },
};
const PLAN: PlanForm = {
  plan: 'open-range',
  name: 'Open Range',
  description: 'Compute in the open.',
  services: ['compute'],
  'minimum-months': '3',
  renewal: { months: '12', 'notice-days': '30' },
  trial: { days: '14', then: 'ends' },
  terms: { version: '2026-11', text: 'Be kind.' },
  tiers: [
    {
      tier: 'heath',
      name: 'Heath',
      description: 'To begin with.',
      allowances: { 'compute/vcpu': '10 vCPU-hour' },
      quotas: { processors: '8' },
      levels: { 'recovery-point': '24 hour' },
    },
    { tier: 'moor', name: 'Moor' },
  ],
};
const CARD: RateCardForm = {
  'rate-card': 'tenants-eur',
  name: 'Tenants',
  for: { type: 'tenants', countries: ['IE'], segments: ['school'] },
  currency: 'EUR',
  'starts-on': '2026-12-01',
  'at-renewal': 'later-eur',
  rates: [],
  discounts: [
    {
      discount: 'spring',
      name: 'Spring',
      percent: '5',
      rates: ['vcpu'],
      services: ['compute'],
      from: '2027-03-01',
      until: '2027-06-01',
    },
  ],
};
const OFFER: OfferForm = {
  offer: 'open-range',
  to: ['oxbow', 'gannet/customs'],
  name: 'Wide Field',
  description: 'Ours.',
  tiers: { heath: 'Small', moor: 'Middling' },
  recommended: 'moor',
  floors: [
    { currency: 'EUR', price: '0.01', meter: 'compute/vcpu', per: 'vCPU-hour' },
    { currency: 'GBP', price: '9', tier: 'moor' },
  ],
};
const RATES: RateCardForm['rates'] = [
  {
    rate: 'vcpu',
    meter: 'compute/vcpu',
    where: { size: ['small', 'large'], disk: { prefix: 'archive-' } },
    when: { days: ['saturday'], from: '22:00', to: '24:00' },
    per: 'vCPU-hour',
    over: 'project',
    price: '0.02',
    allowance: '5',
    committed: '7',
    minimum: '1',
    cap: '9',
  },
  {
    rate: 'steps',
    meter: 'compute/vcpu',
    per: 'vCPU-hour',
    blocks: [{ to: '5', price: '2' }, { price: '1' }],
  },
  {
    rate: 'whole',
    meter: 'compute/vcpu',
    per: 'vCPU-hour',
    blocks: [{ to: '5', price: '2' }, { price: '1' }],
    'at-reached-step': true,
  },
  { rate: 'packs', meter: 'compute/vcpu', per: 'vCPU-hour', lots: { of: '10', price: '3' } },
  {
    rate: 'on-top',
    meter: 'cost/imported',
    per: 'EUR',
    markup: { percent: '7', fixed: '1', of: 'effective' },
  },
  {
    rate: 'begun',
    meter: 'compute/vcpu',
    per: 'hour',
    where: { phase: 'awake' },
    started: 'hour',
    price: '0.1',
  },
  { rate: 'fee', fee: 'open-range/heath', every: 'quarter', advance: 'true', price: '19' },
  { rate: 'least', commitment: '500', services: ['compute'], over: 'buyer' },
  { rate: 'rent', spread: '40', by: 'compute/vcpu' },
];

/** Texts of a form by their path; a list of words is one text. */
function leaves(node: unknown, path = ''): Map<string, string> {
  const found = new Map<string, string>();
  if (Array.isArray(node) && node.every((each) => typeof each === 'string')) found.set(path, node.join(', '));
  else if (typeof node === 'object' && node !== null)
    for (const [key, value] of Object.entries(node))
      for (const [inner, text] of leaves(value, `${path}/${key}`)) found.set(inner, text);
  else if (node !== undefined) found.set(path, String(node));
  return found;
}

const differing = (before: Map<string, string>, after: Map<string, string>): string[] =>
  [...new Set([...before.keys(), ...after.keys()])].filter((path) => before.get(path) !== after.get(path));

const SESSION = {
  email: 'mara@tarnwick.example',
  memberships: [{ organisation: 'tarnwick', type: 'provider', rights: [] }],
} as unknown as Session;

function draw(view: ReactElement): void {
  const client = new QueryClient({ defaultOptions: { queries: { staleTime: Infinity, retry: false } } });
  client.setQueryData(servicesOptions.queryKey, [{ slug: 'compute', form: SERVICE }] as never);
  client.setQueryData(plansOptions.queryKey, [{ slug: 'open-range', form: PLAN }] as never);
  client.setQueryData(organisationsOptions({ parent: 'tarnwick', limit: 21 }).queryKey, {
    items: [],
    next: null,
  });
  client.setQueryData(sessionOptions.queryKey, SESSION);
  render(
    <QueryClientProvider client={client}>
      <MemoryRouter>{view}</MemoryRouter>
    </QueryClientProvider>,
  );
}

/** Types into every text field and chooses in every list; gives the places that each edit changed. */
function edits<Form extends object>(
  Editor: (props: { form: Form; onChange: (form: Form) => void }) => ReactElement,
  form: Form,
): { label: string; changed: string[] }[] {
  const before = leaves(form);
  let made: Form[] = [];
  draw(<Editor form={form} onChange={(next) => made.push(next)} />);
  const found: { label: string; changed: string[] }[] = [];
  const note = (label: string) => {
    expect(made.length, `${label} calls back once`).toBe(1);
    found.push({ label, changed: differing(before, leaves(made[0])) });
    made = [];
  };
  for (const box of screen.queryAllByRole<HTMLInputElement>('textbox').concat(combos())) {
    const label = box.getAttribute('aria-label') ?? labelOf(box);
    fireEvent.change(box, { target: { value: `${box.value}9` } });
    note(label);
  }
  for (const day of days()) {
    fireEvent.change(day, { target: { value: '2031-05-05' } });
    note(labelOf(day));
  }
  for (const select of selects()) {
    const label = labelOf(select);
    fireEvent.mouseDown(select);
    const list = screen.getByRole('listbox');
    const other = within(list)
      .getAllByRole('option')
      .find((option) => option.getAttribute('aria-selected') !== 'true');
    if (!other) throw new Error(`${label} has one value only`);
    fireEvent.click(other);
    note(label);
    fireEvent.keyDown(select, { key: 'Escape' });
  }
  return found;
}

/** A field of a day is in pieces to a screen reader; all of it is what one pastes into. */
const days = () => [...document.querySelectorAll<HTMLInputElement>('.MuiPickersInputBase-root input')];

/** Texts with proposals are comboboxes to a screen reader. */
const combos = () =>
  screen.queryAllByRole<HTMLInputElement>('combobox').filter((each) => each.tagName === 'INPUT');
const selects = () => screen.queryAllByRole('combobox').filter((each) => each.tagName !== 'INPUT');
function labelOf(element: HTMLElement): string {
  const [id] = (element.getAttribute('aria-labelledby') ?? '').split(' ');
  const label =
    (id && document.getElementById(id)) || element.closest('.MuiFormControl-root')?.querySelector('label');
  return label ? (label.textContent ?? '') : '';
}

/** Paths that some edit changed and nothing else did beside it, whole parts for those that go with a kind. */
const reached = (found: { changed: string[] }[]): Set<string> =>
  new Set(found.flatMap((each) => each.changed));

describe('the service editor', () => {
  it('reaches every field, one at a time', () => {
    const found = edits(ServiceEditor, SERVICE);
    const missing = [...leaves(SERVICE).keys()].filter((path) => !reached(found).has(path));
    expect(missing).toEqual(['/service']);
    for (const each of found) {
      const places = new Set(each.changed.map((path) => path.split('/').slice(0, 3).join('/')));
      expect(places.size, `${each.label}: ${each.changed.join(' ')}`).toBeLessThanOrEqual(2);
    }
  });
});

describe('the plan editor', () => {
  it('reaches every field, one at a time', () => {
    const found = edits(PlanEditor, PLAN);
    const missing = [...leaves(PLAN).keys()].filter((path) => !reached(found).has(path));
    expect(missing).toEqual(['/plan']);
    for (const each of found) expect(each.changed.length, each.label).toBeLessThanOrEqual(2);
  });
});

describe('the rate card editor', () => {
  it('reaches every field of a card', () => {
    const found = reached(edits(RateCardEditor, CARD));
    expect([...leaves(CARD).keys()].filter((path) => !found.has(path))).toEqual(['/rate-card', '/rates']);
  });

  it.each(RATES.map((rate) => [rate.rate, rate] as const))(
    'reaches every field of the rate %s',
    (_, rate) => {
      const form: RateCardForm = {
        ...CARD,
        for: rate.spread ? 'own-use' : 'any',
        discounts: [],
        rates: [rate],
      };
      const found = edits(RateCardEditor, form).filter((each) =>
        each.changed.some((path) => path.startsWith('/rates')),
      );
      const missing = [...leaves(form).keys()]
        .filter((path) => path.startsWith('/rates/'))
        .filter((path) => !reached(found).has(path));
      expect(missing).toEqual([]);
      for (const each of found.filter((one) => one.label !== 'Priced')) {
        const places = new Set(each.changed.map((path) => path.split('/').slice(0, 4).join('/')));
        expect(places.size, `${each.label}: ${each.changed.join(' ')}`).toBeLessThanOrEqual(2);
      }
    },
  );
});

describe('a rate that is priced in another way', () => {
  const [full] = RATES;
  const bounds = [
    'meter',
    'where',
    'when',
    'per',
    'over',
    'allowance',
    'committed',
    'minimum',
    'cap',
  ] as const;

  it.each([
    ['tenants', 1],
    ['own-use', 0],
  ])('offers what quotas promise to cards for customers alone: %s', (buyers, count) => {
    const rates = [{ rate: 'held', meter: '', per: 'vCPU-hour', price: '1' }];
    draw(<RateCardEditor form={{ ...CARD, for: buyers, rates }} onChange={() => undefined} />);
    expect(document.querySelectorAll('option[value="promised/processors"]')).toHaveLength(count);
  });

  it.each(['blocks', 'reached', 'lots', 'markup', 'price'] as const)('keeps the rest with %s', (kind) => {
    if (!full) throw new Error('no rate');
    const there = withKind(full, kind);
    expect(kindOf(there)).toBe(kind);
    const back = withKind(there, 'price');
    for (const field of bounds) expect(back[field], field).toEqual(full[field]);
  });

  it('is of one kind only', () => {
    for (const rate of RATES)
      for (const kind of ['price', 'blocks', 'lots', 'fee', 'commitment', 'spread'] as const) {
        const priced = ['price', 'blocks', 'at-reached-step', 'lots', 'markup', 'commitment', 'spread'];
        const keys = Object.keys(withKind(rate, kind)).filter((key) => priced.includes(key));
        expect(keys).toEqual([kind === 'fee' ? 'price' : kind]);
      }
  });
});

describe('the offer editor', () => {
  it('reaches every field', () => {
    const found = edits(OfferEditor, OFFER);
    const missing = [...leaves(OFFER).keys()].filter((path) => !reached(found).has(path));
    expect(missing).toEqual(['/offer']);
  });
});

describe('what is found wrong', () => {
  it('is called by the names in the form', () => {
    const form = { ...CARD, rates: RATES } as never;
    const words = ['rates[1].blocks[1]', 'discounts[0].percent', 'starts-on', 'rates[99]', 'for'];
    expect(words.map((path) => placeWords(path, form))).toEqual([
      'Rate steps, block 2',
      'Discount spring, percent',
      'Starts on',
      'Rate 100',
      'For',
    ]);
  });

  it('stands at its place, and nowhere else beside the list', () => {
    const found = [
      { path: 'rates[1].blocks[1]', message: 'not a price' },
      { path: 'name', message: 'too long' },
      { path: 'discounts[0]', message: 'percent or amount' },
    ];
    draw(
      <Mistakes value={found}>
        <RateCardEditor form={{ ...CARD, rates: RATES.slice(0, 3) }} onChange={() => undefined} />
      </Mistakes>,
    );
    const places = screen.getAllByRole('alert').map((alert) => alert.closest<HTMLElement>('[data-place]'));
    expect(places.map((place) => place?.dataset.place)).toEqual(['rates[1]', 'discounts[0]']);
    expect(screen.getByText('not a price')).toBeVisible();
    const name = screen.getByRole('textbox', { name: 'Name' });
    expect(name).toHaveAccessibleDescription('too long');
    expect(name).toBeInvalid();
  });
});
