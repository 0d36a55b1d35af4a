/** Asking for another limit, and answering: what is shown to whom, and what is sent. */
import { screen, waitFor } from '@testing-library/react';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { rememberSignedIn, sessionOptions, type Session } from '../access/session';
import { api } from '../shared/api';
import { drawn, press, type } from '../shared/drawn.testing';
import { QuotaHistory } from './QuotaHistory';
import { AskDialog, QuotaRequests } from './QuotaRequests';
import type { Organisation, Quota } from './organisations';
import { type QuotaRequest, quotaRequestsOptions } from './quotaRequests';

const SALTMARSH = { slug: 'saltmarsh', name: 'Saltmarsh Ferries' } as Organisation;
const REQUEST = {
  id: 'one',
  organisation: 'saltmarsh',
  organisation_name: 'Saltmarsh Ferries',
  seller_name: 'Oxbow Managed IT',
  measure: 'addresses',
  unit: 'address',
  asked: '32',
  present: '24',
  reason: 'A second harbour',
  state: 'open',
  answered: null,
  answer: null,
  asked_by: 'Ines Carrow',
  asked_at: '2026-10-05T12:00:00Z',
  answered_at: null,
} as unknown as QuotaRequest;
const GIVEN = { ...REQUEST, id: 'two', state: 'partly granted', answered: '28', answer: 'Until March' };
const asked: { path: string; body: unknown }[] = [];

beforeEach(() => {
  asked.length = 0;
  rememberSignedIn(true);
  vi.spyOn(api, 'POST').mockImplementation(((path: string, options: { body: unknown }) => {
    asked.push({ path, body: options.body });
    return Promise.resolve({ data: { ...REQUEST, state: 'granted' }, response: new Response() });
  }) as never);
  vi.spyOn(api, 'GET').mockImplementation(((path: string) =>
    Promise.resolve({ data: path.endsWith('/session') ? session('oxbow') : { items: [REQUEST] } })) as never);
});

const session = (organisation: string) =>
  ({
    memberships: [{ organisation, name: organisation, type: 'reseller', rights: ['manage quotas'] }],
  }) as unknown as Session;

function draw(home: string, requests: QuotaRequest[] = [REQUEST, GIVEN]): void {
  drawn(<QuotaRequests organisation={SALTMARSH} />, [
    [sessionOptions.queryKey, session(home)],
    [quotaRequestsOptions('saltmarsh').queryKey, requests],
  ]);
}

describe('the history of limits', () => {
  it('is asked for when somebody wants it, page by page', async () => {
    const change = { measure: 'addresses', unit: 'address', project: null, released: false };
    const get = vi.mocked(api.GET).mockImplementation(((
      _: string,
      options: { params: { query: object } },
    ) => {
      const later = 'after' in options.params.query;
      const items = later
        ? [{ ...change, id: 1, limit: null, changed_at: '2026-09-01T00:00:00Z' }]
        : [
            { ...change, id: 3, limit: '24', released: true, changed_at: '2026-10-02T00:00:00Z' },
            { ...change, id: 2, limit: '24', project: 'booking', changed_at: '2026-10-01T00:00:00Z' },
          ];
      return Promise.resolve({ data: { items, next: later ? null : '2' } });
    }) as never);
    drawn(<QuotaHistory organisation={SALTMARSH} />);
    expect(get).not.toHaveBeenCalled();
    press('Show the history');
    expect(await screen.findByText(/Addresses of booking: 24 addresses/)).toBeInTheDocument();
    expect(screen.getByText(/Addresses: given back/)).toBeInTheDocument();
    press('Earlier ones');
    expect(await screen.findByText(/Addresses: no limit/)).toBeInTheDocument();
  });
});

describe('requests for other limits', () => {
  it('are given by the seller, in part where it says less', async () => {
    draw('oxbow');
    expect(screen.getByText(/32 addresses in place of 24/)).toBeInTheDocument();
    expect(screen.getByText(/28 addresses/)).toBeInTheDocument();
    expect(screen.getByText(/Oxbow Managed IT: Until March/)).toBeInTheDocument();
    press('Give it');
    type(/^Limit, addresses/, '30');
    type(/^What you say/, 'For now');
    screen.getAllByRole('button', { name: 'Give it', hidden: true }).at(-1)?.click();
    await waitFor(() => expect(asked).toHaveLength(1));
    expect(asked[0]).toEqual({
      path: '/api/v1/quota-requests/{request}/answer',
      body: { limit: '30', reason: 'For now' },
    });
  });

  it('are refused with a reason only', async () => {
    draw('oxbow', [REQUEST]);
    press('Refuse');
    screen.getAllByRole('button', { name: 'Refuse', hidden: true }).at(-1)?.click();
    expect(await screen.findByText('It reads why')).toBeInTheDocument();
    expect(asked).toHaveLength(0);
    type(/^Reason/, 'There is no room');
    screen.getAllByRole('button', { name: 'Refuse', hidden: true }).at(-1)?.click();
    await waitFor(() => expect(asked[0]?.body).toEqual({ limit: null, reason: 'There is no room' }));
  });

  it('are taken back by the one who asked', async () => {
    draw('saltmarsh', [REQUEST]);
    expect(screen.queryByText('Refuse')).toBeNull();
    press('Take it back');
    await waitFor(() => expect(asked[0]?.path).toBe('/api/v1/quota-requests/{request}/withdraw'));
  });

  it('are not there where nobody asked', () => {
    draw('oxbow', []);
    expect(screen.queryByText('What it asks for')).toBeNull();
  });

  it('are made with a figure and a reason', async () => {
    const quota = { measure: 'addresses', unit: 'address', limit: '24', left: '3' } as Quota;
    drawn(<AskDialog organisation={SALTMARSH} quota={quota} onClose={vi.fn()} />);
    expect(screen.getByText(/You have 24 addresses, of which 3 are free/)).toBeInTheDocument();
    type(/^Wanted in all/, '32');
    press('Ask');
    expect(await screen.findByText('Your seller wants to know why')).toBeInTheDocument();
    type(/^Why/, 'A second harbour');
    press('Ask');
    await waitFor(() =>
      expect(asked[0]?.body).toEqual({ measure: 'addresses', limit: '32', reason: 'A second harbour' }),
    );
  });
});
