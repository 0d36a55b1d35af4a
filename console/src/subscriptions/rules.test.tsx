/** What the dialogs about rules, charges by hand and limits ask of the service. */
import { fireEvent, screen, waitFor } from '@testing-library/react';
import { describe, expect, it, vi } from 'vitest';
import { GrantDialog } from '../organisations/GrantDialog';
import type { Organisation, Quota } from '../organisations/organisations';
import { Refusal, api } from '../shared/api';
import { OneOffChargeDialog } from './OneOffChargeDialog';
import { RuleDialog } from './RuleDialog';
import {
  GANNET,
  HELD,
  TODAY,
  afresh,
  asked,
  choose,
  closed,
  draw,
  press,
  refuse,
  sent,
  type,
} from './dialogs.testing';
import type { AssignmentRule } from './subscriptions';

afresh();

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
    refuse(new Refusal(0, 'unreachable', 'the service does not answer'));
    type(/^For what/, 'Moving in');
    type(/^Amount, net/, '240');
    press('Charge 240 EUR');
    expect(await screen.findByText('the service does not answer')).toBeInTheDocument();
    refuse(null);
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
    soft_limit: '8',
    grace_days: 3,
    version: 3,
  } as Quota;
  const soft = { limit: '8', grace_days: 3 };
  const giver = { slug: 'bluefern', name: 'Bluefern Hosting' } as Organisation;

  it('stands beside what the giver has, and is sent with the version that was seen', async () => {
    draw(<GrantDialog quota={quota} holder={GANNET} giver={giver} onClose={closed} />);
    expect(
      screen.getByText(/40 GiB left to give of 100, so Gannet Freight can have up to 50/),
    ).toBeInTheDocument();
    type(/^Limit, GiB/, '50');
    press('Set the limit');
    expect((await sent())?.options.body).toEqual({ limit: '50', soft, version: 3 });
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
      { limit: '50', soft, version: 3 },
      { limit: '10', soft, version: 4 },
    ]);
  });

  it('can be none', async () => {
    draw(<GrantDialog quota={quota} holder={GANNET} giver={giver} onClose={closed} />);
    fireEvent.click(screen.getByLabelText('No limit'));
    type(/^Soft limit, GiB/, '');
    press('Set the limit');
    const none = { limit: null, grace_days: 0 };
    expect((await sent())?.options.body).toEqual({ limit: null, soft: none, version: 3 });
  });

  it('of what is counted has none that is soft', async () => {
    const users = { ...quota, measure: 'users', kind: 'count', soft_limit: null, grace_days: null } as Quota;
    draw(<GrantDialog quota={users} holder={GANNET} giver={giver} onClose={closed} />);
    expect(screen.queryByLabelText(/^Soft limit/)).toBeNull();
    press('Set the limit');
    expect((await sent())?.options.body).toEqual({ limit: '10', soft: null, version: 3 });
  });
});
