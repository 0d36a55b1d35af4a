/** Cost files: sent, confirmed where half would be gone, and what became of them. */
import { fireEvent, screen, waitFor } from '@testing-library/react';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { servicesOptions } from '../catalogue/catalogue';
import { formatMoney } from '../shared/decimal';
import { Refusal, api, type Schemas } from '../shared/api';
import { drawn, press } from '../shared/drawn.testing';
import { CostMeterDialog, SendCosts } from './CostFiles';
import { costMeterOptions, costMeters, deliveryWords, type CostDelivery } from './costs';

const FEED = { path: 'tarnwick/cumulant', name: 'Cumulant', senders: [] };
const DONE: CostDelivery = {
  ...{ delivery_id: 'd', file: 'a.csv', rows: 6, days: 2, replaced: 1, older: 0, estimated: 1, again: false },
  totals: [{ currency: 'EUR', billed: '1234.5', effective: '1200', rows: 6 }],
};
const answer = (data: unknown) => ({ data, response: new Response() }) as never;
const SERVICES = [
  {
    form: {
      service: 'public-cloud',
      name: 'Public cloud',
      meters: {
        cost: { name: 'Cost', unit: 'micro-EUR' },
        calls: { name: 'Calls', unit: 'request' },
      },
    },
  },
] as unknown as Schemas['PublishedServiceBody'][];

beforeEach(() => {
  vi.restoreAllMocks();
});

describe('a cost file', () => {
  it('is said in a sentence', () => {
    expect(deliveryWords(DONE)).toBe(
      `a.csv: 6 rows, ${formatMoney('1234.5', 'EUR')} EUR billed, of 2 days, 1 of them in the place of what was stated before, 1 of them estimated until now`,
    );
    expect(deliveryWords({ ...DONE, again: true })).toBe('a.csv was here already; nothing changed');
    expect(deliveryWords({ ...DONE, totals: [], replaced: 0, older: 2 })).toContain(
      '2 stand in a later file',
    );
  });

  it('is sent, and sent again confirmed where more than half of a day would be gone', async () => {
    const post = vi
      .spyOn(api, 'POST')
      .mockRejectedValueOnce(new Refusal(409, 'conflict', 'had 9 rows; confirm that', { field: 'confirmed' }))
      .mockResolvedValueOnce(answer(DONE));
    drawn(<SendCosts feed={FEED} meter="public-cloud/cost" quantities={false} />);
    const file = new File(['x'], 'a.csv');
    fireEvent.change(screen.getByLabelText('Cost file for Cumulant'), { target: { files: [file] } });
    expect(await screen.findByText(/confirm that/)).toBeInTheDocument();
    press('Take it as it is');
    expect(await screen.findByText(/6 rows/)).toBeInTheDocument();
    const bodies = post.mock.calls.map(
      (each) => (each[1] as { body: { confirmed: boolean } }).body.confirmed,
    );
    expect(bodies).toEqual([false, true]);
  });

  it('says why it is refused, without asking for more', async () => {
    vi.spyOn(api, 'POST').mockRejectedValueOnce(new Refusal(422, 'invalid', '1 of 2 rows are wrong'));
    drawn(<SendCosts feed={FEED} meter="public-cloud/cost" quantities={false} />);
    const files = [new File(['x'], 'a.csv')];
    fireEvent.change(screen.getByLabelText('Cost file for Cumulant'), { target: { files } });
    expect(await screen.findByText('1 of 2 rows are wrong')).toBeInTheDocument();
    expect(screen.queryByRole('button', { name: 'Take it as it is' })).toBeNull();
  });
});

it('is of a meter that adds up a currency', async () => {
  expect(costMeters(SERVICES)).toEqual([['public-cloud/cost', 'Public cloud: Cost']]);
  const put = vi.spyOn(api, 'PUT').mockResolvedValue(answer({}));
  drawn(<CostMeterDialog feed={FEED} onClose={() => {}} />, [
    [servicesOptions.queryKey, SERVICES],
    [
      costMeterOptions(FEED.path).queryKey,
      { feed: FEED.path, meter: null, currency: null, quantities: false, estimates: true, without_times: 0 },
    ],
  ]);
  fireEvent.mouseDown(screen.getByRole('combobox', { name: /^Meter/ }));
  fireEvent.click(screen.getByRole('option', { name: 'Public cloud: Cost' }));
  fireEvent.click(screen.getByLabelText('What they say was used counts as usage too'));
  press('Say so');
  await waitFor(() => expect(put).toHaveBeenCalledOnce());
  expect(put.mock.calls[0]?.[1]).toMatchObject({
    body: { meter: 'public-cloud/cost', quantities: true, estimates: true },
  });
});
