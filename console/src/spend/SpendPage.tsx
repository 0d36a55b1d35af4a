/** Spend: what was bought or sold over some months, by what one chooses, down to the charges. */
import { Box, Button, MenuItem, Tab, Tabs, TextField, Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Suspense, lazy } from 'react';
import { useSearchParams } from 'react-router';
import { useSignedIn } from '../access/session';
import { useLooked } from '../organisations/organisations';
import { levelsOptions } from '../organisations/projects';
import { Bar } from '../shared/Bar';
import { type Column, DataTable, byText } from '../shared/DataTable';
import { daysBefore, nextMonth, periodName, periodsUpTo } from '../shared/dates';
import { compare, formatCount, formatMoney, formatPercent, share } from '../shared/decimal';
import { Page, Section } from '../shared/Page';
import { Empty, Loading, Query } from '../shared/States';
import { Chosen } from './Chosen';
import { SpentCharges } from './SpentCharges';
import {
  type Asked,
  DIMENSIONS,
  dimensionsOf,
  DRAWN,
  type Dimension,
  NEXT,
  type Spend,
  type SpendCurrency,
  type SpendRow,
  fileAddress,
  spendOptions,
} from './spending';
import { useTitles } from './titles';

const SpendChart = lazy(() => import('./SpendChart'));
const MONTHS = 14;

export default function SpendPage() {
  const { session } = useSignedIn();
  const looked = useLooked();
  const [params, setParams] = useSearchParams();
  const change = (values: Record<string, string | string[]>) =>
    setParams(
      (before) => {
        for (const [name, value] of Object.entries(values)) {
          before.delete(name);
          for (const each of typeof value === 'string' ? [value] : value) if (each) before.append(name, each);
        }
        return before;
      },
      { replace: false },
    );
  const sells = looked.own && looked.type !== 'tenant';
  const levels = useQuery(levelsOptions(looked.slug));
  const offered = dimensionsOf(sells, levels.data ?? []);
  const by = (Object.keys(DIMENSIONS) as Dimension[]).find((each) => each === params.get('by')) ?? 'service';
  const months = periodsUpTo(session.now, MONTHS);
  const month = months[0] ?? session.now.slice(0, 7);
  const first = params.get('from') ?? params.get('period') ?? month;
  const last = params.get('to') ?? params.get('period') ?? month;
  const side = sells && params.get('side') !== 'bought' ? 'sold' : 'bought';
  const asked: Asked = {
    organisation: looked.slug,
    side,
    from: `${first < last ? first : last}-01`,
    to: nextMonth(first < last ? last : first),
    only: params.getAll('only'),
  };
  const spend = useQuery(spendOptions(asked, [by]));
  return (
    <Page
      title={`What ${looked.name} ${side === 'sold' ? 'sold' : sells ? 'bought' : 'spent'}`}
      lead={`Net of tax, billed or not, as documents have it${looked.own ? '' : ', at your prices'}.`}
      current={spend.data}
      filters={
        <>
          {sells && (
            <Choice label="Side" value={side} onChange={(value) => change({ side: value, only: [] })}>
              {{ sold: 'Sold', bought: 'Bought' }}
            </Choice>
          )}
          <Choice label="By" value={by} onChange={(value) => change({ by: value })}>
            {Object.fromEntries(
              offered.some(([each]) => each === by) ? offered : [...offered, [by, DIMENSIONS[by]]],
            )}
          </Choice>
          <Choice label="From" value={first} onChange={(value) => change({ from: value })}>
            {Object.fromEntries(months.map((each) => [each, periodName(each)]))}
          </Choice>
          <Choice label="To" value={last} onChange={(value) => change({ to: value })}>
            {Object.fromEntries(months.map((each) => [each, periodName(each)]))}
          </Choice>
        </>
      }
    >
      <Chosen organisation={looked.slug} only={asked.only} onChange={(only) => change({ only })} />
      <Query query={spend}>
        {(found) => (
          <Currencies
            found={found}
            asked={asked}
            by={by}
            wanted={params.get('currency')}
            onCurrency={(currency) => change({ currency })}
            onChoose={(id) => change({ only: [...asked.only, `${by}:${id}`], by: NEXT[by] })}
          />
        )}
      </Query>
    </Page>
  );
}

function Choice({
  label,
  value,
  onChange,
  children,
}: {
  label: string;
  value: string;
  onChange: (value: string) => void;
  children: Record<string, string>;
}) {
  return (
    <TextField
      select
      label={label}
      value={value}
      sx={{ minWidth: 120 }}
      onChange={(event) => onChange(event.target.value)}
    >
      {Object.entries(children).map(([key, title]) => (
        <MenuItem key={key} value={key}>
          {title}
        </MenuItem>
      ))}
    </TextField>
  );
}

function Currencies({
  found,
  asked,
  by,
  wanted,
  onCurrency,
  onChoose,
}: {
  found: Spend;
  asked: Asked;
  by: Dimension;
  wanted: string | null;
  onCurrency: (currency: string) => void;
  onChoose: (id: string) => void;
}) {
  const title = useTitles(asked.organisation);
  const shown = found.currencies.find((each) => each.currency === wanted) ?? found.currencies[0];
  if (!shown)
    return (
      <Empty title="Nothing was charged in these months">
        Choose other months, or take a choice away. Charges appear as soon as usage comes in or a subscription
        begins.
      </Empty>
    );
  return (
    <>
      {found.currencies.length > 1 && (
        <Tabs
          value={shown.currency}
          onChange={(_, currency: string) => onCurrency(currency)}
          aria-label="Currency"
          sx={{ mb: 2, minHeight: 36 }}
        >
          {found.currencies.map((each) => (
            <Tab key={each.currency} value={each.currency} label={each.currency} sx={{ minHeight: 36 }} />
          ))}
        </Tabs>
      )}
      <Figures found={found} shown={shown} />
      <OverTime asked={asked} by={by} currency={shown.currency} />
      <Section
        title={`By ${title(by).toLowerCase()}`}
        aside={
          <>
            <Button href={fileAddress(asked, by, 'csv')} download>
              Save as CSV
            </Button>
            <Button href={fileAddress(asked, by, 'parquet')} download>
              Save as Parquet
            </Button>
          </>
        }
      >
        <Rows found={found} shown={shown} title={title(by)} onChoose={onChoose} />
      </Section>
      <Section title="Charges behind it">
        <SpentCharges asked={asked} currency={shown.currency} />
      </Section>
    </>
  );
}

function Figures({ found, shown }: { found: Spend; shown: SpendCurrency }) {
  const money = (amount: string) => `${formatMoney(amount, shown.currency)} ${shown.currency}`;
  const { total } = shown;
  const figures: [string, string, string?][] = [['In all', money(total.amount)]];
  if (total.before !== null && total.change_percent !== null)
    figures.push([
      'Change',
      signed(total.change_percent),
      `${money(total.compared ?? '0')} against ${money(total.before)}, ${daysBefore(found.before_from, found.before_to)}`,
    ]);
  if (total.margin !== null)
    figures.push([
      'Margin',
      money(total.margin),
      total.margin_percent === null
        ? undefined
        : `${formatPercent(total.margin_percent)} after all that it cost`,
    ]);
  const parts = [
    [shown.billed, 'billed'],
    [shown.on_drafts, 'on drafts'],
    [shown.to_bill, 'still to bill'],
  ].filter(([amount]) => amount && compare(amount, '0'));
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 5, mb: 3 }}>
      {figures.map(([title, figure, note]) => (
        <Box key={title} sx={{ maxWidth: 360 }}>
          <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>{title}</Box>
          <Box sx={{ fontSize: '1.3rem', fontWeight: 600, fontVariantNumeric: 'tabular-nums' }}>{figure}</Box>
          {note && <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>{note}</Box>}
          {title === 'In all' && parts.length > 0 && (
            <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>
              {parts
                .map(([amount, word]) => `${formatMoney(amount ?? '0', shown.currency)} ${word}`)
                .join(', ')}
            </Box>
          )}
          {title === 'In all' && shown.estimated && compare(shown.estimated, '0') !== 0 && (
            <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>
              {money(shown.estimated)} of it estimated, until suppliers’ files state those days
            </Box>
          )}
        </Box>
      ))}
    </Box>
  );
}

function OverTime({ asked, by, currency }: { asked: Asked; by: Dimension; currency: string }) {
  const title = useTitles(asked.organisation);
  const time = nextMonth(asked.from) === asked.to ? 'day' : 'month';
  const over = useQuery(spendOptions(asked, [by, time], DRAWN));
  return (
    <Section title={time === 'day' ? 'Day by day' : 'Month by month'}>
      <Query query={over} rows={6}>
        {(found) => {
          const shown = found.currencies.find((each) => each.currency === currency);
          return shown ? (
            <Suspense fallback={<Loading rows={6} />}>
              <SpendChart
                found={shown}
                from={asked.from}
                to={asked.to}
                by={time}
                label={`Spend by ${title(by).toLowerCase()} and ${time}, ${currency}`}
              />
            </Suspense>
          ) : null;
        }}
      </Query>
    </Section>
  );
}

function Rows({
  found,
  shown,
  title,
  onChoose,
}: {
  found: Spend;
  shown: SpendCurrency;
  /** What the rows are by. */
  title: string;
  onChoose: (id: string) => void;
}) {
  const { currency, rows, total } = shown;
  const money = (amount: string) => formatMoney(amount, currency);
  const most = rows[0]?.amount ?? '0';
  const name = (row: SpendRow) => {
    const key = row.keys[0];
    return key?.id == null ? `The rest, ${formatCount(row.others)} more` : key.name;
  };
  const columns: Column<SpendRow>[] = [
    { key: 'name', title, cell: name, order: byText(name) },
    {
      key: 'bar',
      title: '',
      width: '22%',
      cell: (row) => (
        <Bar value={share(row.amount, most)} label={`${name(row)}: ${money(row.amount)} ${currency}`} />
      ),
    },
    {
      key: 'amount',
      title: currency,
      number: true,
      cell: (row) => money(row.amount),
      order: (left, right) => compare(left.amount, right.amount),
      total: money(total.amount),
    },
  ];
  // Of a month under way only the days that are over stand against those before.
  const whole = rows.every((row) => row.compared === null || compare(row.compared, row.amount) === 0);
  if (whole && total.before !== null && compare(total.before, '0'))
    columns.push({
      key: 'before',
      title: 'Before',
      number: true,
      cell: (row) => (row.before === null ? '' : money(row.before)),
      total: money(total.before),
    });
  if (total.change_percent !== null)
    columns.push({
      key: 'change',
      title: `Against ${daysBefore(found.before_from, found.before_to)}`,
      number: true,
      cell: (row) => (row.change_percent === null ? '' : signed(row.change_percent)),
      order: (left, right) => compare(left.change_percent ?? '0', right.change_percent ?? '0'),
      total: signed(total.change_percent),
    });
  if (found.side === 'sold')
    columns.push(
      {
        key: 'cost',
        title: 'Cost',
        number: true,
        cell: (row) => costs(row, currency),
        total: costs(total, currency),
      },
      {
        key: 'margin',
        title: 'Margin',
        number: true,
        cell: (row) => (row.margin === null ? '—' : money(row.margin)),
        order: (left, right) => compare(left.margin ?? '0', right.margin ?? '0'),
        total: total.margin === null ? '—' : money(total.margin),
      },
    );
  return (
    <>
      <DataTable
        name="spend"
        label={`Spend by ${title.toLowerCase()}`}
        rows={rows}
        rowKey={(row) => row.keys[0]?.id ?? 'the rest'}
        onOpen={(row) => row.keys[0]?.id != null && onChoose(row.keys[0].id)}
        columns={columns}
        height={560}
      />
      <Typography variant="body2" sx={{ color: 'text.secondary', mt: 1 }}>
        Choose a row to go down into it.
      </Typography>
    </>
  );
}

const costs = (row: SpendRow, currency: string): string =>
  row.costs
    .map(
      (each) =>
        formatMoney(each.amount, each.currency) + (each.currency === currency ? '' : ` ${each.currency}`),
    )
    .join(' + ') || '—';

const signed = (percent: string): string =>
  `${compare(percent, '0') > 0 ? '+' : ''}${formatPercent(percent)}`;
