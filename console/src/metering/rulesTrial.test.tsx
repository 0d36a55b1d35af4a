/** What a trial of rules says. */
import { screen } from '@testing-library/react';
import { expect, it } from 'vitest';
import { formatMoney } from '../shared/decimal';
import { drawn } from '../shared/drawn.testing';
import { gapWords, type Trial } from './ownershipTrials';
import { Outcome } from './RulesTrial';

const preview: NonNullable<Trial['preview']> = {
  from_day: '2026-09-01',
  fixed_before: null,
  moves: [],
  organisations: ['gull'],
  nobodys: 0,
  more: false,
  seen: 'a:b:all',
};
const trial = (more: Partial<Trial>): Trial => ({
  id: '0',
  organisation: 'fell',
  state: 'done',
  problem: null,
  made: 1,
  total: 1,
  asked_by: 'mara@fell.example',
  asked_at: '2026-10-05T00:00:00Z',
  finished_at: '2026-10-05T00:00:01Z',
  preview,
  months: [],
  links: [],
  more_links: 0,
  not_priced: [],
  too_much: false,
  ...more,
});
const link = {
  period: '2026-09',
  buyer: 'gull',
  buyer_name: 'Gull',
  currency: 'EUR',
  before: '85',
  after: '87.5',
  difference: '2.5',
  billed: '85',
};

it('shows what each month would come to beside what is billed', () => {
  drawn(
    <Outcome trial={trial({ links: [link, { ...link, period: '2026-10', billed: null }], more_links: 3 })} />,
  );
  const [, first, second] = screen.getAllByRole('row').map((row) => row.textContent);
  for (const said of ['September 2026', 'Gull', formatMoney('87.5', 'EUR'), `+${formatMoney('2.5', 'EUR')}`])
    expect(first).toContain(said);
  expect(second).toContain('not yet');
  screen.getByText(/next document/);
  screen.getByText(/3 more that differ less/);
});

it('says where nothing differs, where it is too much, and what would have no price', () => {
  drawn(<Outcome trial={trial({})} />);
  screen.getByText('No customer’s month would come to anything else.');
  const gap = { period: '2026-09', buyer: 'gull', meter: 'a/b', meter_name: 'Sent', reason: 'no rate' };
  drawn(<Outcome trial={trial({ not_priced: [gap] })} />);
  screen.getByText('Sent of gull in September 2026 would not be priced: no rate.');
  expect(gapWords([gap])).toHaveLength(1);
  drawn(<Outcome trial={trial({ too_much: true })} />);
  screen.getByText(/So much would move/);
  drawn(<Outcome trial={trial({ state: 'needs a hand', preview: null, problem: 'it failed' })} />);
  screen.getByText('it failed');
});
