/** What the dialogs about subscriptions ask of the service, and what they keep of what was there. */
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, fireEvent, render, screen, waitFor, within } from '@testing-library/react';
import type { ReactElement } from 'react';
import { MemoryRouter } from 'react-router';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { rememberSignedIn, sessionOptions, type Session } from '../access/session';
import {
  type PlanForm,
  type Tier,
  plansOptions,
  rateCardsOptions,
  servicesOptions,
} from '../catalogue/catalogue';
import { GrantDialog } from '../organisations/GrantDialog';
import {
  type Organisation,
  type Quota,
  projectsOptions,
  quotasOptions,
} from '../organisations/organisations';
import { Refusal, api } from '../shared/api';
import { Toasts } from '../shared/Toasts';
import { ChangeDialog, SpecialTermsDialog, EndDialog } from './ChangeDialog';
import { OneOffChargeDialog } from './OneOffChargeDialog';
import { RuleDialog } from './RuleDialog';
import { OrderDialog } from './OrderDialog';
import type { AssignmentRule, Subscription } from './subscriptions';

const TODAY = '2026-11-18';
const GANNET = { slug: 'gannet', name: 'Gannet Freight', currency: 'EUR' } as Organisation;
const PLAN = {
  plan: 'stone-barn',
  name: 'Stone Barn',
  services: ['backup'],
  trial: { days: '30', then: 'ends' },
  terms: { version: '2026-11', text: 'Be kind.' },
  tiers: [
    { tier: 'heath', name: 'Heath' },
    { tier: 'moor', name: 'Moor' },
  ],
} as unknown as PlanForm;
const BACKUP = {
  service: 'backup',
  name: 'Backup',
  meters: { protected: { name: 'Protected data', unit: 'GiB-hour' } },
  choices: { place: { name: 'Where copies are', values: ['near', 'far'] } },
};
const HELD = {
  id: 'b0000000-0000-4000-8000-000000000001',
  name: 'Vault',
  plan: 'stone-barn',
  plan_version: 1,
  tier: 'heath',
  quantity: 2,
  version: 5,
  ends_on: null,
  earliest_end: '2026-12-31',
  notice_by: '2026-12-01',
  stretches: [
    {
      starts_on: '2026-09-01',
      plan_version: 1,
      tier: 'heath',
      quantity: 2,
      paused: false,
      trial: false,
      choices: { 'backup/place': 'far' },
      special_terms: { allowances: { 'backup/protected': '10 GiB-hour' } },
    },
  ],
} as unknown as Subscription;

const SESSION = { memberships: [{ organisation: 'bluefern', rights: [] }] } as unknown as Session;
const asked: { method: string; path: string; options: { body?: unknown; params?: unknown } }[] = [];
const closed = vi.fn();
let refusal: Refusal | null = null;

beforeEach(() => {
  asked.length = 0;
  closed.mockClear();
  refusal = null;
  rememberSignedIn(true);
  vi.spyOn(api, 'GET').mockImplementation(((path: string) =>
    Promise.resolve({ data: path === '/api/v1/session' ? SESSION : { items: [] } })) as never);
  for (const method of ['POST', 'PUT', 'PATCH', 'DELETE'] as const)
    vi.spyOn(api, method).mockImplementation(((path: string, options: object) => {
      if (path !== '/api/v1/estimates') asked.push({ method, path, options });
      if (path === '/api/v1/estimates')
        return Promise.resolve({
          data: { currency: 'EUR', total: '120.00', rate_card: 'tenants-eur', seller: 'tarnwick' },
        });
      return refusal
        ? Promise.reject(refusal)
        : Promise.resolve({ data: { version: 9, ...(options as { body?: object }).body } });
    }) as never);
});
afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
  rememberSignedIn(false);
});

function draw(view: ReactElement): void {
  const client = new QueryClient({ defaultOptions: { queries: { staleTime: Infinity, retry: false } } });
  const known: [readonly unknown[], unknown][] = [
    [
      plansOptions.queryKey,
      [{ slug: 'stone-barn', version: 2, offered: true, recommended: 'moor', form: PLAN }],
    ],
    [servicesOptions.queryKey, [{ slug: 'backup', form: BACKUP }]],
    [projectsOptions('gannet').queryKey, [{ slug: 'customs', name: 'Customs' }]],
    [rateCardsOptions.queryKey, [{ slug: 'gannet-eur', name: 'For Gannet', seller: 'bluefern' }]],
    [sessionOptions.queryKey, SESSION],
    [
      quotasOptions('bluefern').queryKey,
      [{ measure: 'storage', project: null, left: '40', limit: '100', unit: 'GiB' }],
    ],
  ];
  for (const [key, data] of known) client.setQueryData(key, data);
  render(
    <QueryClientProvider client={client}>
      <MemoryRouter>
        <Toasts>{view}</Toasts>
      </MemoryRouter>
    </QueryClientProvider>,
  );
}

const type = (label: string | RegExp, value: string) =>
  fireEvent.change(screen.getByLabelText(label), { target: { value } });
const press = (name: string) => fireEvent.click(screen.getByRole('button', { name }));
/** What a field of a day holds, and is given. */
const dayField = (label: string) =>
  within(
    screen
      .getByRole('group', { name: new RegExp(`^${label}`) })
      .closest('.MuiFormControl-root') as HTMLElement,
  ).getByRole('textbox', { hidden: true });
function choose(label: string, option: string): void {
  fireEvent.mouseDown(screen.getByRole('combobox', { name: new RegExp(`^${label}`) }));
  fireEvent.click(screen.getByRole('option', { name: option }));
}
const sent = async () => {
  await waitFor(() => expect(asked).toHaveLength(1));
  await waitFor(() => expect(closed).toHaveBeenCalled());
  return asked[0];
};

describe('subscribing', () => {
  const open = () =>
    draw(
      <OrderDialog
        organisation={GANNET}
        plan={PLAN}
        tier={PLAN.tiers[1] as Tier}
        quantity="1"
        from={TODAY}
        onDone={vi.fn()}
        onClose={closed}
      />,
    );
  const accept = () => fireEvent.click(screen.getByLabelText('The customer accepts terms 2026-11'));

  it('waits for the terms, and says so where they are', async () => {
    open();
    press('Subscribe');
    expect(await screen.findByText('The customer has to accept them')).toBeInTheDocument();
    expect(asked).toHaveLength(0);
    accept();
    press('Subscribe');
    expect((await sent())?.options.body).toMatchObject({
      organisation: 'gannet',
      project: null,
      plan: 'stone-barn',
      tier: 'moor',
      name: 'Stone Barn',
      quantity: 1,
      starts_on: TODAY,
      ends_on: null,
      trial_until: null,
      choices: null,
      accepted_terms: '2026-11',
    });
  });

  it('ends with a trial that ends', async () => {
    open();
    fireEvent.click(screen.getByLabelText(/30 days on trial first/));
    expect(await screen.findByText(/then it ends/)).toBeInTheDocument();
    accept();
    type(/^Its own name/, 'Trial vault');
    type(/^How many/, '3');
    choose('For', 'Customs');
    choose('Where copies are', 'far');
    press('Subscribe');
    expect((await sent())?.options.body).toMatchObject({
      name: 'Trial vault',
      quantity: 3,
      project: 'customs',
      trial_until: '2026-12-18',
      ends_on: '2026-12-18',
      choices: { 'backup/place': 'far' },
    });
  });

  it('says a refusal at the field that it names, or for the whole, and stays open', async () => {
    refusal = new Refusal(422, 'invalid', 'quantity: is at most 5', { field: 'quantity' });
    open();
    accept();
    press('Subscribe');
    expect(await screen.findByText('is at most 5')).toBeInTheDocument();
    expect(screen.getByLabelText(/^How many/)).toBeInvalid();
    refusal = new Refusal(409, 'not_offered', 'tier moor is not offered to gannet');
    // The button rests until the call before has wholly ended.
    await waitFor(() => expect(screen.getByRole('button', { name: 'Subscribe' })).toBeEnabled());
    press('Subscribe');
    expect(await screen.findByText('tier moor is not offered to gannet')).toBeInTheDocument();
    expect(closed).not.toHaveBeenCalled();
  });
});

describe('changing', () => {
  const open = () => draw(<ChangeDialog subscription={HELD} today={TODAY} onClose={closed} />);

  it('sends only what differs, with the version that was seen', async () => {
    open();
    choose('Tier', 'Moor');
    press('Change it');
    const call = await sent();
    expect(call?.path).toContain('/change');
    expect(call?.options.body).toEqual({
      starts_on: TODAY,
      tier: 'moor',
      quantity: null,
      paused: null,
      plan_version: null,
      choices: null,
      accepted_terms: null,
      version: 5,
    });
  });

  it('moves to the newest version of the plan with its terms', async () => {
    open();
    fireEvent.click(screen.getByLabelText(/Move it from version 1 of the plan to version 2/));
    press('Change it');
    expect((await sent())?.options.body).toMatchObject({ plan_version: 2, accepted_terms: '2026-11' });
  });

  it('begins with the choices that hold', async () => {
    open();
    expect(screen.getByRole('combobox', { name: /^Where copies are/ })).toHaveTextContent('far');
    choose('Where copies are', 'near');
    fireEvent.click(screen.getByLabelText(/^Pauses/));
    type(/^How many/, '4');
    press('Change it');
    expect((await sent())?.options.body).toMatchObject({
      choices: { 'backup/place': 'near' },
      paused: true,
      quantity: 4,
    });
  });
});

describe('ending', () => {
  it('proposes the earliest day, and lets it go on when left empty', async () => {
    draw(<EndDialog subscription={HELD} onClose={closed} />);
    const day = dayField('Last day');
    expect(day).toHaveValue('2026-12-30');
    expect(screen.getByText(/if notice is given by 2026-12-01/)).toBeInTheDocument();
    fireEvent.change(day, { target: { value: '' } });
    press('Let it go on');
    expect((await sent())?.options.body).toEqual({ ends_on: null, version: 5 });
  });
});

describe('a day that is half written', () => {
  /** Empties one part of a day, as the key does. */
  const empty = (label: string, part: string) => {
    const group = screen.getByRole('group', { name: new RegExp(`^${label}`) });
    const section = within(group).getByRole('spinbutton', { name: part });
    fireEvent.focus(section);
    fireEvent.mouseDown(section);
    fireEvent.mouseUp(section);
    fireEvent.click(section);
    fireEvent.keyDown(section, { key: 'Delete' });
    fireEvent.keyUp(section, { key: 'Delete' });
  };

  it('is not taken for none: nothing goes on by it', async () => {
    draw(<EndDialog subscription={HELD} onClose={closed} />);
    empty('Last day', 'Day');
    await waitFor(() => expect(screen.getByRole('spinbutton', { name: 'Day' })).toHaveTextContent('DD'));
    expect(await screen.findByRole('button', { name: 'End it' })).toBeInTheDocument();
    press('End it');
    expect(await screen.findByText('Finish the day, or empty it')).toBeInTheDocument();
    expect(asked).toHaveLength(0);
    fireEvent.change(dayField('Last day'), { target: { value: '2027-01-31' } });
    press('End it');
    expect((await sent())?.options.body).toEqual({ ends_on: '2027-02-01', version: 5 });
  });

  it('is none when all of it is emptied', async () => {
    draw(<EndDialog subscription={HELD} onClose={closed} />);
    for (const part of ['Day', 'Month', 'Year']) {
      empty('Last day', part);
      await waitFor(() => expect(screen.getByRole('spinbutton', { name: part })).toHaveTextContent(/[DMY]/));
    }
    fireEvent.click(await screen.findByRole('button', { name: 'Let it go on' }));
    expect((await sent())?.options.body).toEqual({ ends_on: null, version: 5 });
  });

  it('is said at its field when one subscribes', async () => {
    draw(
      <OrderDialog
        organisation={GANNET}
        plan={PLAN}
        tier={PLAN.tiers[1] as Tier}
        quantity="1"
        from={TODAY}
        onDone={vi.fn()}
        onClose={closed}
      />,
    );
    fireEvent.click(screen.getByLabelText('The customer accepts terms 2026-11'));
    fireEvent.change(dayField('Last day'), { target: { value: '2026-11-17' } });
    press('Subscribe');
    expect(await screen.findByText('Not before the day on which it begins')).toBeInTheDocument();
    empty('Last day', 'Month');
    expect(await screen.findByText('Finish the day, or empty it')).toBeInTheDocument();
    expect(asked).toHaveLength(0);
  });
});

describe('special terms', () => {
  const open = () => draw(<SpecialTermsDialog subscription={HELD} today={TODAY} onClose={closed} />);

  it('keeps the special terms there were', async () => {
    open();
    choose('Rate card', 'For Gannet');
    press('Save');
    expect((await sent())?.options.body).toEqual({
      seller: 'bluefern',
      starts_on: TODAY,
      rate_card: 'gannet-eur',
      special_terms: { allowances: { 'backup/protected': '10 GiB-hour' } },
      version: 5,
    });
  });

  it('goes back to the rules', async () => {
    open();
    choose('Rate card', 'the one by your rules');
    press('Save');
    expect((await sent())?.options.body).toMatchObject({ rate_card: '' });
  });
});

describe('a rule of assignment', () => {
  const rule = {
    slug: 'vaulted',
    subscription: 'Vault',
    position: 10,
    starts_on: '2026-10-01',
    ends_on: null,
    conditions: {
      service: 'backup',
      resource: { contains: 'vault' },
      where: { site: ['north-fell', 'south-quay'], disk: { prefix: 'archive-' } },
    },
  } as unknown as AssignmentRule;
  const open = (given: AssignmentRule | null) =>
    draw(
      <RuleDialog organisation="gannet" subscriptions={[HELD]} rule={given} today={TODAY} onClose={closed} />,
    );

  it('loses no condition when something else is changed', async () => {
    open(rule);
    type(/^Order, 1 is first/, '20');
    press('Save');
    expect((await sent())?.options.body).toEqual({
      subscription: 'Vault',
      position: 20,
      starts_on: '2026-10-01',
      ends_on: null,
      conditions: rule.conditions,
    });
  });

  it('asks for what begins with something', async () => {
    open(null);
    press('Save');
    expect(await screen.findByText(/^Small letters, digits/)).toBeInTheDocument();
    type(/^Rule/, 'dishes');
    choose('The resource is', 'begins with');
    type('Resource', 'dish');
    press('Save');
    expect((await sent())?.options.body).toMatchObject({ conditions: { resource: { prefix: 'dish' } } });
  });

  it('can be deleted', async () => {
    open(rule);
    press('Delete it');
    expect((await sent())?.method).toBe('DELETE');
  });
});

describe('a charge by hand', () => {
  it('says on the button what is charged, and repeats under the same key', async () => {
    draw(<OneOffChargeDialog organisation={GANNET} subscriptions={[HELD]} today={TODAY} onClose={closed} />);
    refusal = new Refusal(0, 'unreachable', 'the service does not answer');
    type(/^For what/, 'Moving in');
    type(/^Amount, net/, '240');
    press('Charge 240 EUR');
    expect(await screen.findByText('the service does not answer')).toBeInTheDocument();
    refusal = null;
    await waitFor(() => expect(screen.getByRole('button', { name: 'Charge 240 EUR' })).toBeEnabled());
    press('Charge 240 EUR');
    await waitFor(() => expect(closed).toHaveBeenCalled());
    expect(asked.map((each) => each.options.params)).toEqual([
      asked[0]?.options.params,
      asked[0]?.options.params,
    ]);
    expect(asked[1]?.options.body).toEqual({
      seller: 'bluefern',
      organisation: 'gannet',
      subscription: 'Vault',
      day: TODAY,
      description: 'Moving in',
      amount: '240',
      currency: 'EUR',
    });
  });
});

describe('a limit', () => {
  const quota = {
    measure: 'storage',
    limit: '10',
    unit: 'GiB',
    granted: '4',
    reservation: '0',
    version: 3,
  } as Quota;
  const giver = { slug: 'bluefern', name: 'Bluefern Hosting' } as Organisation;

  it('stands beside what the giver has, and is sent with the version that was seen', async () => {
    draw(<GrantDialog quota={quota} holder={GANNET} giver={giver} onClose={closed} />);
    expect(
      screen.getByText(/40 GiB left to give of 100, so Gannet Freight can have up to 50/),
    ).toBeInTheDocument();
    type(/^Limit, GiB/, '50');
    press('Set the limit');
    expect((await sent())?.options.body).toEqual({ limit: '50', version: 3 });
  });

  it('is taken back with what it was before, over what was just set', async () => {
    vi.mocked(api.PUT).mockImplementation(((path: string, options: { body: object }) => {
      asked.push({ method: 'PUT', path, options });
      return Promise.resolve({ data: { ...quota, ...options.body, version: 3 + asked.length } });
    }) as never);
    draw(<GrantDialog quota={quota} holder={GANNET} giver={giver} onClose={closed} />);
    type(/^Limit, GiB/, '50');
    press('Set the limit');
    expect(
      await screen.findByText('Gannet Freight has a limit of 50 GiB of storage now.'),
    ).toBeInTheDocument();
    fireEvent.click(screen.getByRole('button', { name: 'Undo', hidden: true }));
    expect(await screen.findByText('It is as it was before.')).toBeInTheDocument();
    expect(asked.map((each) => each.options.body)).toEqual([
      { limit: '50', version: 3 },
      { limit: '10', version: 4 },
    ]);
  });

  it('can be none', async () => {
    draw(<GrantDialog quota={quota} holder={GANNET} giver={giver} onClose={closed} />);
    fireEvent.click(screen.getByLabelText('No limit'));
    press('Set the limit');
    expect((await sent())?.options.body).toEqual({ limit: null, version: 3 });
  });
});
