import { describe, expect, it } from 'vitest';
import { sellersSteps } from './Ladder';
import type { SpendCurrency } from './spending';

const month = (costs: [string, string][], margin: string | null, percent: string | null = null) =>
  ({
    currency: 'EUR',
    total: {
      amount: '1000',
      costs: costs.map(([currency, amount]) => ({ currency, amount })),
      margin,
      margin_percent: percent,
    },
  }) as unknown as SpendCurrency;

describe('the ladder of a seller', () => {
  it('climbs from cost to what is kept', () => {
    const steps = sellersSteps(month([['EUR', '600']], '400', '40.0'), 2, true);
    expect(steps.map((step) => step.amount)).toEqual(['600.00 EUR', '1\u2009000.00 EUR', '400.00 EUR']);
    expect(steps[0]?.note).toBe('60.0 % of what is sold');
    expect(steps[1]?.title).toBe('Sold to 2 customers');
  });

  it('marks a margin that is less than nothing as lost', () => {
    expect(sellersSteps(month([['EUR', '1031']], '-31', '-3.1'), 2, true)[2]).toMatchObject({ lost: true });
    expect(sellersSteps(month([['EUR', '1000']], '0', '0.0'), 2, true)[2]).toMatchObject({ lost: false });
  });

  it('tells no margin where part of the cost is in another currency, and says why', () => {
    const steps = sellersSteps(
      month(
        [
          ['EUR', '600'],
          ['GBP', '5'],
        ],
        null,
      ),
      1,
      true,
    );
    expect(steps[2]).toMatchObject({ amount: 'cannot be told' });
    expect(steps[2]?.note).toContain('GBP');
  });

  it('does not take what has no known cost for margin', () => {
    const steps = sellersSteps(month([], '1000', '100.0'), 1, false);
    expect(steps[0]).toMatchObject({ amount: 'not known' });
    expect(steps[2]).toMatchObject({ amount: 'cannot be told', note: 'its cost is not known' });
  });
});
