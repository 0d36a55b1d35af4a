/** Where more is in use than a limit allows: what is said of it, what is noted, and use day by day. */
import { fireEvent, screen, waitFor } from '@testing-library/react';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { Organisation } from '../organisations/organisations';
import { api } from '../shared/api';
import { drawn, press, type } from '../shared/drawn.testing';
import { Breaches } from './Breaches';
import { UseOverTime } from './UseOverTime';
import { type Breach, breachesOptions, stateOf, whoseOf } from './breaches';

const OXBOW = { slug: 'oxbow', name: 'Oxbow Managed IT' } as Organisation;
const BREACH = {
  id: 'one',
  organisation: 'saltmarsh',
  organisation_name: 'Saltmarsh Ferries',
  project: null,
  project_name: null,
  measure: 'processors',
  unit: 'vCPU',
  kind: 'stock',
  crossed: 'soft limit',
  state: 'in grace',
  limit: '100',
  used: '130.26',
  most: '140',
  opened_at: '2026-10-05T12:00:00Z',
  grace_until: '2026-10-12T12:00:00Z',
  note: null,
  noted_by: null,
} as unknown as Breach;

describe('breaches', () => {
  const put = vi.spyOn(api, 'PUT');
  beforeEach(() => {
    put.mockResolvedValue({ data: { ...BREACH, note: 'x' }, response: new Response() } as never);
  });

  const draw = (found: Breach[], manages = true) =>
    drawn(<Breaches organisation={OXBOW} manages={manages} />, [[breachesOptions('oxbow').queryKey, found]]);

  it('say who uses how much, until when that may be, and take a note', async () => {
    draw([BREACH]);
    const said = screen.getByRole('listitem');
    expect(said).toHaveTextContent(
      'Processors of Saltmarsh Ferries: 130.3 vCPU in use, the soft limit is 100',
    );
    expect(said).toHaveTextContent('may be until');
    expect(said).toHaveTextContent('at most 140');
    press('Note on processors of Saltmarsh Ferries');
    press('Note it');
    expect(await screen.findByText('Say what is done about it')).toBeInTheDocument();
    expect(put).not.toHaveBeenCalled();
    type(/^What you do about it/, ' We talk to them ');
    press('Note it');
    await waitFor(() => expect(put.mock.calls[0]?.[1]).toMatchObject({ body: { note: 'We talk to them' } }));
  });

  it('are read by all, noted by who manages limits, and are no heading where there are none', () => {
    draw([{ ...BREACH, state: 'open', note: 'We talk to them', noted_by: 'Edda' }], false);
    expect(screen.getByRole('listitem')).toHaveTextContent('Edda: We talk to them');
    expect(screen.queryByRole('button')).toBeNull();
    expect(stateOf({ ...BREACH, state: 'open' })).toBe('open');
    expect(whoseOf(BREACH, 'saltmarsh')).toBe('');
    expect(whoseOf({ ...BREACH, project_name: 'Booking' }, 'saltmarsh')).toBe(' of Booking');
  });

  it('are not shown where there are none', () => {
    draw([]);
    expect(screen.queryByText('Above a limit')).toBeNull();
  });
});

describe('use over time', () => {
  it('is asked for when somebody wants it, and counts the days above', async () => {
    const day = (date: string, quantity: string | null) => ({ day: date, quantity, limit: '10' });
    const days = [day('2026-10-01', '4'), day('2026-10-02', '12')];
    const measures = [
      { measure: 'processors', unit: 'vCPU', kind: 'stock', metered: true, defined: false },
      { measure: 'seats', unit: 'seat', kind: 'stock', metered: true, defined: true },
    ];
    const get = vi.spyOn(api, 'GET').mockImplementation((async (path: string) => ({
      data: { items: path === '/api/v1/measures' ? measures : days, next: null },
      response: new Response(),
    })) as never);
    drawn(<UseOverTime organisation={OXBOW} />);
    expect(get).not.toHaveBeenCalled();
    press('Show the days');
    expect(await screen.findByText(/Above its limit on 1 of 2 days/)).toBeInTheDocument();
    expect(await screen.findByText(/2026-10-02 12 vCPU/)).toBeInTheDocument();
    fireEvent.mouseDown(screen.getByRole('combobox', { name: 'Measure' }));
    fireEvent.click(await screen.findByRole('option', { name: 'Seats' }));
    expect(await screen.findByText(/2026-10-02 12 seats/)).toBeInTheDocument();
    expect(get.mock.calls.at(-1)?.[1]).toEqual({
      params: { path: { organisation: 'oxbow', measure: 'seats' } },
    });
  });
});
