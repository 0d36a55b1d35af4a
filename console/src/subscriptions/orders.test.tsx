/** Orders as each side sees them, and what is sent. */
import { screen, waitFor } from '@testing-library/react';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { rememberSignedIn, sessionOptions, type Session } from '../access/session';
import type { Organisation } from '../organisations/organisations';
import { api } from '../shared/api';
import { drawn, press, type } from '../shared/drawn.testing';
import { OrderPolicies } from './OrderPolicies';
import { OrderEndDialog } from './OrderChangeDialog';
import { Orders } from './Orders';
import { type Order, orderPoliciesOptions, ordersOptions } from './orders';
import type { Subscription } from './subscriptions';

const SALTMARSH = {
  slug: 'saltmarsh',
  name: 'Saltmarsh Ferries',
  parent: 'oxbow',
  type: 'tenant',
  currency: 'GBP',
} as Organisation;
const ORDER = {
  id: 'one',
  organisation: 'saltmarsh',
  organisation_name: 'Saltmarsh Ferries',
  seller_name: 'Oxbow Managed IT',
  what: 'Oxbow Backup Team from 2026-12-01',
  amount: '88.32',
  currency: 'GBP',
  purchase_order: 'PO 12',
  reason: 'The winter timetable',
  state: 'waiting',
  waits_for: 'seller',
  changed: [],
  seal: 'as-read',
  answer: null,
  answered_by: null,
  asked_by: 'Ines Carrow',
  asked_at: '2026-11-05T12:00:00Z',
} as unknown as Order;
const REFUSED = {
  ...ORDER,
  id: 'two',
  what: 'Something small',
  state: 'refused',
  waits_for: null,
  answer: 'Enough',
  answered_by: 'Alma Reed',
} as Order;
const sent: { path: string; body: unknown }[] = [];

const session = (organisation: string, rights: string[]) =>
  ({ memberships: [{ organisation, name: organisation, type: 'reseller', rights }] }) as unknown as Session;

function draw(home: string, rights: string[], orders: Order[]): void {
  drawn(<Orders organisation={SALTMARSH} />, [
    [sessionOptions.queryKey, session(home, rights)],
    [ordersOptions('saltmarsh').queryKey, orders],
  ]);
}

beforeEach(() => {
  sent.length = 0;
  rememberSignedIn(true);
  const answer = (path: string, options: { body: unknown }) => {
    sent.push({ path, body: options.body });
    return Promise.resolve({ data: { ...ORDER, state: 'done', waits_for: null }, response: new Response() });
  };
  vi.spyOn(api, 'POST').mockImplementation(answer as never);
  vi.spyOn(api, 'PUT').mockImplementation(((path: string, options: { body: object }) => {
    sent.push({ path, body: options.body });
    return Promise.resolve({ data: options.body, response: new Response() });
  }) as never);
  vi.spyOn(api, 'GET').mockImplementation(((path: string) =>
    Promise.resolve({
      data: path.endsWith('/session') ? session('oxbow', ['order']) : { items: [] },
    })) as never);
});

describe('orders', () => {
  it('that wait stand first, with who is to approve them; answers with who gave them', async () => {
    draw('saltmarsh', ['order'], [REFUSED, ORDER]);
    const [first, second] = screen.getAllByRole('listitem');
    expect(first).toHaveTextContent(
      'Oxbow Backup Team from 2026-12-01, 88.32 GBP a month: waits for Oxbow Managed IT',
    );
    expect(first).toHaveTextContent('Ines Carrow · PO 12 · The winter timetable');
    expect(second).toHaveTextContent('refused');
    expect(second).toHaveTextContent('Alma Reed: Enough');
    expect(screen.queryByRole('button', { name: 'Approve' })).toBeNull();
    press('Take it back');
    await waitFor(() => {
      expect(sent).toEqual([{ path: '/api/v1/orders/{order}/withdraw', body: undefined }]);
    });
  });

  it('of its customers are approved by their seller at the amount that it read', async () => {
    draw('oxbow', ['manage subscriptions'], [ORDER]);
    expect(screen.getByRole('listitem')).toHaveTextContent('waits for you');
    expect(screen.queryByRole('button', { name: 'Take it back' })).toBeNull();
    press('Approve');
    type(/What you say to it/, 'Gladly');
    screen.getAllByRole('button', { name: 'Approve' }).at(-1)?.click();
    await waitFor(() => {
      expect(sent[0]?.body).toEqual({ approve: true, amount: '88.32', seal: 'as-read', reason: 'Gladly' });
    });
  });

  it('whose plan or prices changed since say so before they are approved', () => {
    draw('oxbow', ['manage subscriptions'], [{ ...ORDER, changed: ['plan', 'prices'] } as Order]);
    const words =
      'Since it was ordered its plan and its prices changed: look at the plan before you approve.';
    expect(screen.getByRole('listitem')).toHaveTextContent(words);
    press('Approve');
    expect(screen.getByRole('alert')).toHaveTextContent(words);
  });

  it('are refused only with a reason', async () => {
    draw('oxbow', ['manage subscriptions'], [ORDER]);
    press('Refuse');
    screen.getAllByRole('button', { name: 'Refuse' }).at(-1)?.click();
    expect(await screen.findByText('It reads why')).toBeInTheDocument();
    expect(sent).toEqual([]);
  });

  it('that wait within are answered by administrators, and by nobody else', () => {
    const own = { ...ORDER, waits_for: 'own' } as Order;
    draw('saltmarsh', ['order'], [own]);
    expect(screen.getByRole('listitem')).toHaveTextContent('waits for another administrator');
    expect(screen.queryByRole('button', { name: 'Approve' })).toBeNull();
  });

  it('that wait within can be approved by who manages members', () => {
    draw('saltmarsh', ['order', 'manage members'], [{ ...ORDER, waits_for: 'own' } as Order]);
    expect(screen.getByRole('button', { name: 'Approve' })).toBeEnabled();
  });
});

it('an end is ordered for the day after the last one, and offers the earliest that is bound', async () => {
  const subscription = {
    id: 's',
    name: 'Barn',
    organisation: 'saltmarsh',
    earliest_end: '2027-01-05',
    notice_by: '2026-12-06',
  } as Subscription;
  drawn(<OrderEndDialog subscription={subscription} today="2026-11-05" onClose={() => undefined} />);
  expect(
    screen.getByText('The earliest is 2027-01-04, if notice is given by 2026-12-06.'),
  ).toBeInTheDocument();
  press('End it');
  await waitFor(() => {
    expect(sent[0]?.body).toEqual({ kind: 'end', subscription: 's', day: '2027-01-05' });
  });
});

it('what goes through at once is changed for the own people and for customers apart', async () => {
  const known = [{ approver: 'seller', currency: 'GBP', amount: '60' }];
  drawn(<OrderPolicies organisation={{ ...SALTMARSH, type: 'reseller' }} />, [
    [sessionOptions.queryKey, session('saltmarsh', ['manage members'])],
    [orderPoliciesOptions('saltmarsh').queryKey, known],
  ]);
  expect(screen.getByText('Your own people: any amount')).toBeInTheDocument();
  expect(screen.getByText('Customers billed in GBP: up to 60.00 GBP more a month')).toBeInTheDocument();
  expect(screen.queryByRole('button', { name: 'Change what customers billed in GBP order' })).toBeNull();
  press('Change what your own people order');
  screen.getByRole('checkbox').click();
  await screen.findByLabelText(/At once up to/);
  type(/At once up to/, '200');
  press('Save');
  await waitFor(() => {
    expect(sent[0]?.body).toEqual({ approver: 'own', currency: 'GBP', amount: '200' });
  });
});
