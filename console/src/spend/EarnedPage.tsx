/** What a month earned: charged to buyers, beside what suppliers and own services cost. */
import { Alert, Box, MenuItem, TextField, Typography } from '@mui/material';
import { queryOptions, useQuery } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';
import { usePeriod } from '../access/figures';
import { useSignedIn } from '../access/session';
import { againWhileWaiting } from '../shared/current';
import { api, body } from '../shared/api';
import { DataTable, byText } from '../shared/DataTable';
import { compare, formatMoney, formatPercent, sum } from '../shared/decimal';
import { Page } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { type By, type Earned, earnedBy } from './earned';

const earnedOptions = (organisation: string, period: string) =>
  queryOptions({
    queryKey: ['month margins', organisation, period],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/margins', {
          params: { path: { organisation }, query: { period } },
        }),
      ),
    staleTime: 30_000,
    refetchInterval: againWhileWaiting,
  });

const WAYS: Record<By, string> = {
  buyer: 'Customer',
  service: 'Service',
  both: 'Customer and service',
};

export default function EarnedPage() {
  const { home } = useSignedIn();
  const [params, setParams] = useSearchParams();
  const [period] = usePeriod();
  const by = (Object.keys(WAYS) as By[]).find((each) => each === params.get('by')) ?? 'buyer';
  const margins = useQuery(earnedOptions(home.organisation, period));
  const setBy = (next: string) =>
    setParams(
      (before) => {
        before.set('by', next);
        return before;
      },
      { replace: true },
    );
  return (
    <Page
      title="Month’s margin"
      current={margins.data}
      lead="Charged, net of tax, less what suppliers and your own services cost. Nobody else sees this."
      filters={
        <TextField
          select
          label="By"
          value={by}
          sx={{ minWidth: 170 }}
          onChange={(event) => setBy(event.target.value)}
        >
          {Object.entries(WAYS).map(([way, title]) => (
            <MenuItem key={way} value={way}>
              {title}
            </MenuItem>
          ))}
        </TextField>
      }
    >
      <Query query={margins}>
        {(found) => {
          const tables = earnedBy(found.rows, by);
          return (
            <>
              {found.cost_not_known.length > 0 && (
                <Alert severity="warning" variant="outlined" sx={{ mb: 2 }}>
                  No cost card of yours prices {found.cost_not_known.join(', ')}: that cost is missing here.
                  Publish a rate card for your own use that does.
                </Alert>
              )}
              {tables.map((table) => (
                <Box key={table.currency} sx={{ mb: 3 }}>
                  <Table by={by} currency={table.currency} rows={table.rows} />
                </Box>
              ))}
              {tables.length === 0 ? (
                <Empty title="Nothing was sold or used in that month">Choose another month.</Empty>
              ) : (
                <Typography variant="body2" sx={{ color: 'text.secondary', mt: 1.5, maxWidth: 760 }}>
                  Cost in another currency than what was charged is shown, but not taken off.
                </Typography>
              )}
            </>
          );
        }}
      </Query>
    </Page>
  );
}

function Table({ by, currency, rows }: { by: By; currency: string; rows: Earned[] }) {
  const money = (amount: string) => formatMoney(amount, currency);
  const costs = rows.flatMap((row) => row.costs);
  const known = costs.every((cost) => cost.currency === currency);
  return (
    <DataTable
      name={`earned-${currency}`}
      label={`Month’s margin, ${currency}`}
      rows={rows}
      rowKey={(row) => `${row.buyer}/${row.service}`}
      columns={[
        ...(by === 'service'
          ? []
          : [
              {
                key: 'buyer',
                title: 'Customer',
                cell: (row: Earned) => row.buyer,
                order: byText((row: Earned) => row.buyer),
              },
            ]),
        ...(by === 'buyer'
          ? []
          : [
              {
                key: 'service',
                title: 'Service',
                cell: (row: Earned) => row.service,
                order: byText((row: Earned) => row.service),
              },
            ]),
        {
          key: 'charged',
          title: `Charged, ${currency}`,
          number: true,
          cell: (row) => money(row.charged),
          order: (left, right) => compare(left.charged, right.charged),
          total: money(sum(rows.map((row) => row.charged))),
        },
        {
          key: 'cost',
          title: 'Cost',
          number: true,
          cell: (row) => row.costs.map((cost) => costText(cost, currency)).join(' + ') || '—',
          total: known ? money(sum(costs.map((cost) => cost.amount))) : '—',
        },
        {
          key: 'margin',
          title: 'Margin',
          number: true,
          cell: (row) => (row.margin === null ? '—' : money(row.margin)),
          order: (left, right) => compare(left.margin ?? '0', right.margin ?? '0'),
          total: known ? money(sum(rows.map((row) => row.margin ?? '0'))) : '—',
        },
        {
          key: 'percent',
          title: 'Margin %',
          number: true,
          cell: (row) => (row.percent === null ? '—' : formatPercent(row.percent)),
          order: (left, right) => compare(left.percent ?? '-1000', right.percent ?? '-1000'),
        },
      ]}
    />
  );
}

const costText = (cost: { amount: string; currency: string }, currency: string): string =>
  formatMoney(cost.amount, cost.currency) + (cost.currency === currency ? '' : ` ${cost.currency}`);
