/** What a month earned, added up by buyer or by service. */
import type { Schemas } from '../shared/api';
import { percent, subtract, sum } from '../shared/decimal';

type Row = Schemas['MonthMarginBody'];
export type By = 'buyer' | 'service' | 'both';

export interface Earned {
  buyer: string;
  service: string;
  charged: string;
  costs: { currency: string; amount: string }[];
  margin: string | null;
  percent: string | null;
}

/** Rows of each currency that is charged in, added up. */
export function earnedBy(rows: readonly Row[], by: By): { currency: string; rows: Earned[] }[] {
  const currencies = [...new Set(rows.map((row) => row.currency))];
  return currencies.map((currency) => {
    const together = new Map<string, Row[]>();
    for (const row of rows.filter((each) => each.currency === currency)) {
      const key = by === 'buyer' ? row.buyer : by === 'service' ? row.service : `${row.buyer}/${row.service}`;
      together.set(key, [...(together.get(key) ?? []), row]);
    }
    return { currency, rows: [...together.values()].map((same) => added(same, currency)) };
  });
}

function added(rows: readonly Row[], currency: string): Earned {
  const charged = sum(rows.map((row) => row.charged));
  const all = rows.flatMap((row) => row.costs);
  const costs = [...new Set(all.map((cost) => cost.currency))].map((each) => ({
    currency: each,
    amount: sum(all.filter((cost) => cost.currency === each).map((cost) => cost.amount)),
  }));
  const known = costs.every((cost) => cost.currency === currency);
  const margin = known ? subtract(charged, sum(costs.map((cost) => cost.amount))) : null;
  return {
    buyer: rows[0]?.buyer_name ?? '',
    service: rows[0]?.service_name ?? '',
    charged,
    costs,
    margin,
    percent: margin === null ? null : percent(margin, charged),
  };
}
