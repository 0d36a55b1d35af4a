/** What is known of an organisation, what its seller notes, and its state: who is asked for what. */
import { screen, waitFor } from '@testing-library/react';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { rememberSignedIn, sessionOptions, type Session } from '../access/session';
import { Details } from '../app/organisation/Details';
import { api, Refusal } from '../shared/api';
import { drawn, press, type } from '../shared/drawn.testing';
import { type Details as Known, type States, detailsOptions, statesOptions } from './details';
import type { Organisation } from './organisations';

const MEMBER = {
  organisation: 'oxbow',
  name: 'Oxbow Managed IT',
  type: 'reseller',
  rights: ['manage organisations'],
};
const SESSION = { memberships: [MEMBER], now: '2026-10-05T12:00:00Z' } as unknown as Session;
const ORGANISATION = {
  slug: 'saltmarsh',
  name: 'Saltmarsh Ferries',
  type: 'tenant',
  segment: null,
  tags: ['coast'],
} as unknown as Organisation;
const KNOWN = {
  organisation: 'saltmarsh',
  organisation_name: 'Saltmarsh Ferries',
  country: 'GB',
  legal_name: null,
  street: 'Pier House\n2 Harbour Road',
  town: 'Saltmarsh',
  billing_contacts: [{ name: 'Nia Ford', email: 'bills@saltmarsh.example' }],
  payer: null,
  payer_name: null,
  notes: 'Pays late',
  version: 3,
} as unknown as Known;
const meaning = { sign_in: 'As roles allow.', usage: 'Taken.', ordering: 'All.', billing: 'Each month.' };
const STATES: States = {
  organisation: 'saltmarsh',
  organisation_name: 'Saltmarsh Ferries',
  state: 'active',
  own: 'active',
  meaning,
  below: 0,
  subscriptions: 2,
  history: [
    { state: 'closing', starts_at: '2027-01-01T00:00:00Z', reason: 'The season ends', planned: true },
  ],
  next: [
    { state: 'suspended', meaning: { ...meaning, ordering: 'Nothing new.' }, hindrances: [] },
    { state: 'closed', meaning, hindrances: ['1 month of it is not billed'] },
  ],
};
const asked: { method: string; path: string; body: unknown }[] = [];

beforeEach(() => {
  asked.length = 0;
  rememberSignedIn(true);
  for (const method of ['POST', 'PUT', 'PATCH', 'DELETE'] as const)
    vi.spyOn(api, method).mockImplementation(((path: string, options: { body: unknown }) => {
      asked.push({ method, path, body: options.body });
      return Promise.resolve({ data: {}, response: new Response() });
    }) as never);
  vi.spyOn(api, 'GET').mockImplementation(((path: string) => {
    if (path.endsWith('/details')) return Promise.resolve({ data: KNOWN });
    if (path.endsWith('/session')) return Promise.resolve({ data: SESSION });
    if (path.endsWith('/states')) return Promise.resolve({ data: STATES });
    return Promise.resolve({ data: { items: [], next: null } });
  }) as never);
});

function draw(known: Known | null = KNOWN, states = STATES): void {
  drawn(<Details organisation={ORGANISATION} />, [
    [sessionOptions.queryKey, SESSION],
    [statesOptions('saltmarsh').queryKey, states],
    ...(known ? [[detailsOptions('saltmarsh').queryKey, known] as [readonly unknown[], unknown]] : []),
  ]);
}

describe('the details of an organisation', () => {
  it('say what is known, and what is not', () => {
    draw();
    expect(screen.getByText('2 Harbour Road')).toBeInTheDocument();
    expect(screen.getByText('United Kingdom')).toBeInTheDocument();
    expect(screen.getByText('bills@saltmarsh.example')).toBeInTheDocument();
    expect(screen.getAllByText('not known').length).toBeGreaterThan(3);
    expect(screen.getByText('Pays late')).toBeInTheDocument();
  });

  it('are sent whole, with the version that was read', async () => {
    draw();
    press('Change the details');
    type('Legal name', 'Saltmarsh Ferries Limited');
    press('Add a billing contact');
    press('Save');
    await waitFor(() => expect(asked).toHaveLength(1));
    expect(asked[0]).toMatchObject({
      method: 'PUT',
      body: {
        legal_name: 'Saltmarsh Ferries Limited',
        street: 'Pier House\n2 Harbour Road',
        region: null,
        billing_contacts: [{ name: 'Nia Ford', email: 'bills@saltmarsh.example' }],
        version: 3,
      },
    });
  });

  it('say a refusal at its field', async () => {
    draw();
    vi.mocked(api.PUT).mockRejectedValue(
      new Refusal(422, 'invalid', 'its check digit is wrong', { field: 'tax_id' }),
    );
    press('Change the details');
    type('Tax number', 'GB 1');
    press('Save');
    expect(await screen.findByText('its check digit is wrong')).toBeInTheDocument();
    expect(screen.getByLabelText('Tax number')).toBeInvalid();
  });

  it('are not shown to those further up', () => {
    vi.mocked(api.GET).mockRejectedValue(new Refusal(403, 'forbidden', 'no', {}));
    draw(null);
    return waitFor(() =>
      expect(screen.getByText(/for its own people and its direct seller/)).toBeInTheDocument(),
    );
  });

  it('keep what the seller notes apart', async () => {
    draw();
    press('Change the notes');
    type('Tags', 'coast, ferries ,');
    press('Save');
    await waitFor(() => expect(asked).toHaveLength(1));
    expect(asked[0]).toMatchObject({
      method: 'PATCH',
      body: { segment: null, tags: ['coast', 'ferries'], notes: 'Pays late', payer: null },
    });
  });
});

describe('the state of an organisation', () => {
  it('is changed with a reason, once one read what it means', async () => {
    draw();
    press('Change the state');
    expect(screen.getByText('Nothing new.')).toBeInTheDocument();
    expect(screen.getByText('2 subscriptions run.')).toBeInTheDocument();
    type(/^Reason/, 'Owes for August');
    press('Change it');
    await waitFor(() => expect(asked.length).toBeGreaterThan(0));
    expect(asked[0]?.body).toEqual({ state: 'suspended', starts_on: null, reason: 'Owes for August' });
    expect(await screen.findByText('Saltmarsh Ferries is suspended now.')).toBeInTheDocument();
  });

  it('says what stands against closing', () => {
    draw();
    press('Change the state');
    expect(screen.getByText('It cannot be closed yet: 1 month of it is not billed.')).toBeInTheDocument();
    expect(screen.getByLabelText('Close it for good')).toBeDisabled();
  });

  it('lets what is planned be withdrawn, by those who decide', async () => {
    draw();
    expect(screen.getByText(/closing, planned: The season ends/)).toBeInTheDocument();
    press('Withdraw what is planned');
    await waitFor(() => expect(asked[0]?.method).toBe('DELETE'));
  });

  it('offers nothing to those who do not decide', () => {
    draw(KNOWN, { ...STATES, next: [], state: 'suspended' });
    expect(screen.queryByText('Change the state')).toBeNull();
    expect(screen.getByText('One that it buys from is; itself it is active.')).toBeInTheDocument();
  });
});
