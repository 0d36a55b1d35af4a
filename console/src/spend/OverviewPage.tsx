/** The overview: what needs whoever looks, what the month comes to and where it is heading, and how quotas stand. */
import { Box, Tab, Tabs } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Suspense, lazy } from 'react';
import { Link as RouterLink } from 'react-router';
import { usePeriod } from '../access/figures';
import { useSignedIn } from '../access/session';
import { QuotaBars } from '../organisations/QuotaBars';
import { useLooked } from '../organisations/organisations';
import { addDays, dayName, daysBefore, nextMonth, periodName } from '../shared/dates';
import { compare, formatMoney, formatPercent } from '../shared/decimal';
import { useFilters } from '../shared/filters';
import { Page, Section } from '../shared/Page';
import { Empty, Loading, Query } from '../shared/States';
import { Ladder, type Step, sellersSteps } from './Ladder';
import { Movers } from './Movers';
import { NeedsYou } from './NeedsYou';
import { type Outlook, outlook } from './outlook';
import { type Asked, DRAWN, type Spend, type SpendCurrency, spendOptions } from './spending';

const SpendChart = lazy(() => import('./SpendChart'));
const FirstSteps = lazy(() => import('./FirstSteps'));
const ONE_OFF = 'one-off';

export default function OverviewPage() {
  const { session } = useSignedIn();
  const looked = useLooked();
  const [period] = usePeriod();
  const under = period === session.now.slice(0, 7);
  const sells = looked.own && looked.type !== 'tenant';
  const asked: Asked = {
    organisation: looked.slug,
    side: sells ? 'sold' : 'bought',
    from: `${period}-01`,
    to: nextMonth(period),
    only: [],
  };
  const spend = useQuery(spendOptions(asked, [sells ? 'buyer' : 'project']));
  return (
    <Page
      title={under ? `${periodName(period)} so far` : periodName(period)}
      lead={`${looked.name}: ${looked.own ? 'what needs you, then ' : ''}what ${sells ? 'is sold, what that costs and what is kept' : 'is spent, and on what'}.`}
      current={spend.data}
    >
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: {
            xs: 'minmax(0, 1fr)',
            lg: looked.own ? 'minmax(0, 7fr) minmax(0, 3fr)' : undefined,
          },
          columnGap: 4,
        }}
      >
        <Box sx={{ order: { xs: 2, lg: 1 }, minWidth: 0 }}>
          <Query query={spend}>
            {(found) => <Month key={looked.slug} found={found} asked={asked} under={under} sells={sells} />}
          </Query>
        </Box>
        {looked.own && (
          <Box sx={{ order: { xs: 1, lg: 2 }, minWidth: 0 }}>
            <NeedsYou organisation={looked.slug} />
            <Section title="Quotas">
              <QuotaBars organisation={looked.slug} sells={sells} />
            </Section>
          </Box>
        )}
      </Box>
    </Page>
  );
}

function Month(props: { found: Spend; asked: Asked; under: boolean; sells: boolean }) {
  const { found, asked, under, sells } = props;
  const [params, set] = useFilters();
  const shown =
    found.currencies.find((each) => each.currency === params.get('currency')) ?? found.currencies[0];
  if (!shown && sells && under)
    return (
      <Suspense fallback={<Loading rows={5} />}>
        <FirstSteps organisation={asked.organisation} />
      </Suspense>
    );
  if (!shown)
    return (
      <Empty title={`Nothing is charged ${under ? 'yet' : `in ${periodName(asked.from.slice(0, 7))}`}`}>
        Charges appear when there is a subscription and readings arrive. See{' '}
        <RouterLink to="/usage">usage</RouterLink>.
      </Empty>
    );
  return (
    <>
      {found.currencies.length > 1 && (
        <Tabs
          value={shown.currency}
          onChange={(_, currency: string) => set('currency', currency)}
          aria-label="Currency"
          sx={{ minHeight: 34, mb: 1 }}
        >
          {found.currencies.map(({ currency, total }) => (
            <Tab
              key={currency}
              value={currency}
              label={`${formatMoney(total.amount, currency)} ${currency}`}
              sx={{ minHeight: 34, minWidth: 0 }}
            />
          ))}
        </Tabs>
      )}
      <Days found={found} shown={shown} asked={asked} under={under} sells={sells} />
      <Section
        title={sells ? 'Customers: the largest, and what moved' : 'Projects: the largest, and what moved'}
      >
        <Movers found={found} shown={shown} title={sells ? 'Customer' : 'Project'} />
      </Section>
    </>
  );
}

/** The ladder, and the days under it: both are of the sums by service and day. */
function Days(props: { found: Spend; shown: SpendCurrency; asked: Asked; under: boolean; sells: boolean }) {
  const { found, shown, asked, under, sells } = props;
  const { session } = useSignedIn();
  const looked = useLooked();
  const { currency } = shown;
  const days = useQuery(spendOptions(asked, ['service', 'day'], DRAWN));
  const today = session.now.slice(0, 10);
  const of = days.data?.currencies.find((each) => each.currency === currency);
  const ahead = under && of ? outlook(of, today, asked.from, asked.to) : null;
  const steps = sells
    ? sellersSteps(shown, customersIn(shown), looked.type !== 'provider')
    : buyersSteps(found, shown, under, ahead, asked);
  return (
    <>
      <Ladder
        steps={steps}
        label={sells ? 'What it costs, what is sold and what is kept' : 'What is spent'}
      />
      <Section
        title={sells ? 'Sold by day' : 'Spent by day'}
        aside={sells && ahead && <Expected ahead={ahead} currency={currency} end={asked.to} />}
      >
        <Query query={days} rows={6}>
          {() =>
            of ? (
              <>
                <OneOffs of={of} currency={currency} />
                <Suspense fallback={<Loading rows={6} />}>
                  <SpendChart
                    found={withoutOneOffs(of)}
                    from={asked.from}
                    to={asked.to}
                    by="day"
                    label={`By service and day, ${currency}`}
                    {...(under ? { today, ahead } : {})}
                  />
                </Suspense>
              </>
            ) : null
          }
        </Query>
      </Section>
    </>
  );
}

/** How many are charged, those that stand together as the rest too. */
const customersIn = (shown: SpendCurrency): number =>
  shown.rows.reduce((all, row) => all + (row.keys[0]?.id == null ? row.others : 1), 0);

function Expected({ ahead, currency, end }: { ahead: Outlook; currency: string; end: string }) {
  return (
    <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>
      pale: expected, if the last seven days go on; about {formatMoney(ahead.total, currency)} {currency} by{' '}
      {dayName(addDays(end, -1))}
    </Box>
  );
}

/** What a buyer spends: so far, against the month before, and where it is heading. */
function buyersSteps(
  found: Spend,
  shown: SpendCurrency,
  under: boolean,
  ahead: Outlook | null,
  asked: Asked,
): Step[] {
  const { total, currency } = shown;
  const money = (amount: string) => `${formatMoney(amount, currency)} ${currency}`;
  const steps: Step[] = [];
  if (total.before !== null && total.change_percent !== null)
    steps.push({
      title: daysBefore(found.before_from, found.before_to),
      amount: money(total.before),
      note: 'the same days of the month before',
    });
  const rise = total.change_percent !== null && compare(total.change_percent, '0') > 0 ? '+' : '';
  steps.push({
    title: under ? 'Spent so far' : 'Spent',
    amount: money(total.amount),
    note:
      total.change_percent === null
        ? 'net of tax'
        : `${money(total.compared ?? '0')} of it on whole days, ${rise}${formatPercent(total.change_percent)}`,
  });
  if (ahead)
    steps.push({
      title: `Expected by ${dayName(addDays(asked.to, -1))}`,
      amount: `about ${money(ahead.total)}`,
      note: 'if the last seven days go on',
    });
  return steps;
}

/** Amounts that come once are told apart: among the days they would hide all others. */
function OneOffs({ of, currency }: { of: SpendCurrency; currency: string }) {
  const rows = of.rows.filter((row) => row.keys[0]?.id === ONE_OFF);
  if (!rows.length) return null;
  return (
    <Box sx={{ fontSize: '0.8rem', color: 'warning.main', mb: 1 }}>
      <span aria-hidden="true">▲</span> apart from the days:{' '}
      {rows
        .map(
          (row) => `${formatMoney(row.amount, currency)} ${currency} once, ${dayName(row.keys[1]?.id ?? '')}`,
        )
        .join('; ')}
    </Box>
  );
}

function withoutOneOffs(of: SpendCurrency): SpendCurrency {
  return { ...of, rows: of.rows.filter((row) => row.keys[0]?.id !== ONE_OFF) };
}
