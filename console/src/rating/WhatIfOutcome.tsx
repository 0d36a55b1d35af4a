/** One what-if: how far it is, then what it comes to by service, and by customer. */
import { Alert, Box, Checkbox, FormControlLabel, LinearProgress, Link, TextField } from '@mui/material';
import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { DataTable } from '../shared/DataTable';
import { periodName } from '../shared/dates';
import { compare, formatCount, formatMoney, sum } from '../shared/decimal';
import { Grid, type GridColumn, textColumn } from '../shared/Grid';
import { Section } from '../shared/Page';
import { Empty, Failed, Loading, Query } from '../shared/States';
import { type WhatIf, type WhatIfAmount, amountsOptions, isUnderWay, whatIfOptions } from './whatIfs';

export function WhatIfOutcome({ id }: { id: string }) {
  const found = useQuery(whatIfOptions(id));
  return <Query query={found}>{(whatIf) => <Shown whatIf={whatIf} />}</Query>;
}

function Shown({ whatIf }: { whatIf: WhatIf }) {
  const { period, cards, state, problem, made, total } = whatIf;
  const label = `${periodName(period)} with ${cards.map((card) => card.name).join(', ')}`;
  if (isUnderWay(whatIf))
    return (
      <Box role="status">
        <Box sx={{ mb: 1, fontSize: '0.9rem' }}>
          {label}: {total ? `${formatCount(made)} of ${formatCount(total)} customers are priced` : 'begins'}.
          You may leave; it goes on.
        </Box>
        <LinearProgress
          aria-label="How far it is"
          variant={total ? 'determinate' : 'indeterminate'}
          value={total ? (100 * made) / total : 0}
        />
      </Box>
    );
  if (state !== 'done')
    return (
      <Alert severity="error" variant="outlined">
        {problem ?? `It is ${state}.`}{' '}
        <Link component={RouterLink} to={`/record/work?task=${whatIf.id}`}>
          Its steps, and how to try again
        </Link>
      </Alert>
    );
  if (!whatIf.sums.length)
    return <Empty title={`Nothing was sold in ${periodName(period)}`}>Choose another month.</Empty>;
  const currencies = [...new Set(whatIf.sums.map((row) => row.currency))];
  return (
    <>
      {whatIf.not_priced.length > 0 && (
        <Alert severity="warning" variant="outlined" sx={{ mb: 2 }}>
          Nothing would have priced{' '}
          {whatIf.not_priced
            .map(
              (gap) =>
                `${gap.meter_name} of ${gap.buyers === 1 ? 'one customer' : `${formatCount(gap.buyers)} customers`}`,
            )
            .join(', ')}
          .
        </Alert>
      )}
      {currencies.map((currency) => (
        <Section key={currency} title={`${label}, ${currency}`}>
          <Sums currency={currency} rows={whatIf.sums.filter((row) => row.currency === currency)} />
        </Section>
      ))}
      {whatIf.sums.some((row) => row.differing) ? (
        <Amounts whatIf={whatIf} />
      ) : (
        <Empty title="Nothing would differ">
          The unpublished card prices that month as the published one did.
        </Empty>
      )}
    </>
  );
}

const signed = (amount: string, currency: string): string =>
  `${compare(amount, '0') > 0 ? '+' : ''}${formatMoney(amount, currency)}`;

/** What differs most comes first; where nothing does, one line says so. */
function Sums({ currency, rows }: { currency: string; rows: WhatIf['sums'] }) {
  const money = (amount: string) => formatMoney(amount, currency);
  const before = money(sum(rows.map((row) => row.before)));
  if (!rows.some((row) => row.differing))
    return (
      <Box sx={{ color: 'text.secondary', fontSize: '0.88rem' }}>
        Nothing would differ: {before} {currency} in all.
      </Box>
    );
  const size = (amount: string) => amount.replace('-', '');
  const sorted = [...rows].sort((left, right) => compare(size(right.difference), size(left.difference)));
  return (
    <DataTable
      name={`what-if-${currency}`}
      label={`What would have been, ${currency}`}
      rows={sorted}
      rowKey={(row) => row.service}
      columns={[
        { key: 'service', title: 'Service', cell: (row) => row.service_name },
        {
          key: 'difference',
          title: 'Difference',
          number: true,
          cell: (row) => signed(row.difference, currency),
          order: (left, right) => compare(left.difference, right.difference),
          total: signed(sum(rows.map((row) => row.difference)), currency),
        },
        { key: 'before', title: 'Came to', number: true, cell: (row) => money(row.before), total: before },
        {
          key: 'after',
          title: 'Would have come to',
          number: true,
          cell: (row) => money(row.after),
          total: money(sum(rows.map((row) => row.after))),
        },
        {
          key: 'differing',
          title: 'Customers who would have paid otherwise',
          number: true,
          cell: (row) => `${formatCount(row.differing)} of ${formatCount(row.buyers)}`,
        },
      ]}
    />
  );
}

const COLUMNS: GridColumn<WhatIfAmount>[] = [
  textColumn('buyer', 'Customer', (row) => row.buyer_name, { flex: 2 }),
  textColumn('service', 'Service', (row) => row.service_name, { flex: 2 }),
  textColumn('currency', 'Currency', (row) => row.currency, { width: 90 }),
  ...(
    [
      ['difference', 'Difference', signed],
      ['before', 'Came to', formatMoney],
      ['after', 'Would have come to', formatMoney],
    ] as const
  ).map(([key, title, write]): GridColumn<WhatIfAmount> => ({
    key,
    title,
    number: true,
    cell: (row) => write(row[key], row.currency),
    text: (row) => row[key],
    order: (left, right) => compare(left[key], right[key]),
    width: 160,
  })),
];

function Amounts({ whatIf }: { whatIf: WhatIf }) {
  const [all, setAll] = useState(false);
  const [search, setSearch] = useState('');
  const amounts = useInfiniteQuery(amountsOptions(whatIf.id, !all, search));
  const rows = amounts.data?.pages.flatMap((page) => page.items) ?? [];
  const differing = whatIf.sums.reduce((count, row) => count + row.differing, 0);
  const every = whatIf.sums.reduce((count, row) => count + row.buyers, 0);
  const count = search ? undefined : all ? every : differing;
  return (
    <Section
      title="By customer"
      aside={
        <Box sx={{ display: 'flex', alignItems: 'center', flexWrap: 'wrap', gap: 2 }}>
          <TextField
            label="Customer has"
            value={search}
            onChange={(event) => setSearch(event.target.value)}
            sx={{ width: 180 }}
          />
          {every > differing && (
            <FormControlLabel
              control={<Checkbox checked={all} onChange={(event) => setAll(event.target.checked)} />}
              label="Also what would not differ"
            />
          )}
        </Box>
      }
    >
      {amounts.isError && <Failed error={amounts.error} retry={() => void amounts.refetch()} />}
      {amounts.isPending && <Loading rows={4} />}
      {amounts.isSuccess && !rows.length && <Empty title="No customer has this in its name" />}
      {rows.length > 0 && (
        <Grid
          name="what-if"
          label="What would have been, by customer"
          rows={rows}
          rowKey={(row) => `${row.buyer}/${row.service}/${row.currency}`}
          columns={COLUMNS}
          count={count}
          more={
            amounts.hasNextPage
              ? { loading: amounts.isFetchingNextPage, load: () => void amounts.fetchNextPage() }
              : undefined
          }
        />
      )}
    </Section>
  );
}
