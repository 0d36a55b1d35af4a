/** The overview: what needs attention, what the month comes to so far, and how quotas stand. */
import { Alert, Box, Link, MenuItem, TextField } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink, useSearchParams } from 'react-router';
import { useSignedIn } from '../access/session';
import { PriceChanges } from '../catalogue/PriceChanges';
import { invoicesOptions } from '../billing/invoices';
import { type LinkPeriod, addDays, periodSoFarOptions, serviceName, sumsBy } from './spend';
import { QuotaBar } from '../organisations/QuotaBar';
import { quotasOptions } from '../organisations/organisations';
import { Bar } from '../shared/Bar';
import { type Column, DataTable } from '../shared/DataTable';
import { periodName } from '../shared/dates';
import { DayChart } from '../shared/DayChart';
import { compare, formatCount, formatMoney, formatQuantity, share, sum } from '../shared/decimal';
import { Page, Section } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { Chain } from './Chain';

interface Row {
  key: string;
  amount: string;
}

export default function OverviewPage() {
  const { home } = useSignedIn();
  const spend = useQuery(periodSoFarOptions(home.organisation));
  const period = spend.data?.links[0]?.period;
  return (
    <Page
      title={period ? `${periodName(period)} so far` : 'The month so far'}
      current={spend.data}
      lead={`What ${home.name} ${home.type === 'tenant' ? 'spends' : 'buys and sells'}: the lines that bills would have today.`}
    >
      <Attention />
      <Query query={spend}>
        {(data) => (
          <>
            {data.problems.map((each) => (
              <Alert
                key={`${each.seller} ${each.buyer}`}
                severity="warning"
                variant="outlined"
                sx={{ mb: 3 }}
              >
                {each.buyer} cannot be brought up to date: {each.problem}
              </Alert>
            ))}
            <Links links={data.links} own={home.organisation} />
          </>
        )}
      </Query>
      <Quotas />
    </Page>
  );
}

function Attention() {
  const { home } = useSignedIn();
  const drafts = useQuery({ ...invoicesOptions({ state: 'draft' }), enabled: home.type !== 'tenant' });
  if (!drafts.data?.length) return null;
  const count = drafts.data.length;
  return (
    <Alert severity="warning" variant="outlined" sx={{ mb: 3 }}>
      {formatCount(count)} {count === 1 ? 'draft waits' : 'drafts wait'} to be issued.{' '}
      <Link component={RouterLink} to="/invoices?state=draft" color="inherit">
        Review {count === 1 ? 'it' : 'them'}
      </Link>
    </Alert>
  );
}

function Links({ links, own }: { links: LinkPeriod[]; own: string }) {
  const { session } = useSignedIn();
  const [params, setParams] = useSearchParams();
  const bought = links.filter((link) => link.buyer === own && link.seller !== own);
  const sold = links.filter((link) => link.seller === own && link.buyer !== own);
  const internal = links.filter((link) => link.seller === own && link.buyer === own);
  const selling = sold.length > 0;
  const relevant = selling ? sold : bought.length ? bought : internal;
  const currencies = [...new Set(relevant.map((link) => link.currency))];
  const currency = currencies.find((each) => each === params.get('currency')) ?? currencies[0];
  if (!currency)
    return (
      <Empty title="Nothing is charged yet">
        Charges appear when there is a subscription and readings arrive. See{' '}
        <RouterLink to="/usage">usage</RouterLink>.
      </Empty>
    );
  const shown = relevant.filter((link) => link.currency === currency);
  const lines = shown.flatMap((link) => link.lines);
  const unpriced = links.flatMap((link) => link.not_priced);
  return (
    <>
      <PriceChanges />
      <Chain bought={bought} internal={internal} sold={sold} />
      {unpriced.length > 0 && (
        <Alert severity="warning" variant="outlined" sx={{ mb: 3 }}>
          Not priced:{' '}
          {unpriced
            .slice(0, 4)
            .map(
              (each) =>
                `${formatQuantity(each.quantity)} of ${each.meter} of ${each.organisation} (${each.reason})`,
            )
            .join('; ')}
        </Alert>
      )}
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: { xs: 'minmax(0, 1fr)', lg: 'minmax(0, 3fr) minmax(0, 2fr)' },
          columnGap: 5,
        }}
      >
        <Box sx={{ minWidth: 0 }}>
          <Section
            title={`${selling ? 'Sold' : 'Spent'} by day, ${currency}`}
            aside={
              currencies.length > 1 && (
                <TextField
                  select
                  label="Currency"
                  value={currency}
                  onChange={(event) =>
                    setParams(
                      (before) => {
                        before.set('currency', event.target.value);
                        return before;
                      },
                      { replace: true },
                    )
                  }
                >
                  {currencies.map((each) => (
                    <MenuItem key={each} value={each}>
                      {each}
                    </MenuItem>
                  ))}
                </TextField>
              )
            }
          >
            <DayChart
              days={addDays(shown).filter((each) => each.day <= session.now.slice(0, 10))}
              format={(value) => formatMoney(value, currency)}
              unit={currency}
              label={`Amount by day in ${currency}`}
            />
          </Section>
          <Section title={selling ? 'By buyer' : 'By project'}>
            {selling ? (
              <Sums
                name="buyer"
                title="Buyer"
                currency={currency}
                rows={shown
                  .map((link) => ({ key: link.buyer_name, amount: link.net }))
                  .sort((left, right) => compare(right.amount, left.amount))}
              />
            ) : (
              <Sums
                name="project"
                title="Project"
                currency={currency}
                rows={sumsBy(lines, (line) => line.project ?? 'whole organisation')}
              />
            )}
          </Section>
        </Box>
        <Section title="By service">
          <Sums name="service" title="Service" rows={sumsBy(lines, serviceName)} currency={currency} />
        </Section>
      </Box>
    </>
  );
}

function Sums({
  name,
  title,
  rows,
  currency,
}: {
  name: string;
  title: string;
  rows: Row[];
  currency: string;
}) {
  const most = rows[0]?.amount ?? '0';
  const columns: Column<Row>[] = [
    {
      key: 'key',
      title,
      cell: (row) => row.key,
      total: 'Total',
      order: (a, b) => a.key.localeCompare(b.key),
    },
    {
      key: 'bar',
      title: '',
      width: '38%',
      cell: (row) => (
        <Bar value={share(row.amount, most)} label={`${row.key}: ${formatMoney(row.amount, currency)}`} />
      ),
    },
    {
      key: 'amount',
      title: currency,
      number: true,
      cell: (row) => formatMoney(row.amount, currency),
      order: (a, b) => compare(a.amount, b.amount),
      total: formatMoney(sum(rows.map((row) => row.amount)), currency),
    },
  ];
  return (
    <DataTable
      name={name}
      label={title}
      columns={columns}
      rows={rows}
      rowKey={(row) => row.key}
      height={420}
    />
  );
}

function Quotas() {
  const { home } = useSignedIn();
  const quotas = useQuery(quotasOptions(home.organisation));
  return (
    <Section title="Quotas">
      <Query query={quotas} rows={2}>
        {(found) => (
          <Box
            sx={{ display: 'grid', gridTemplateColumns: { xs: '1fr', sm: '1fr 1fr' }, gap: 4, maxWidth: 820 }}
          >
            {found
              .filter((quota) => quota.project === null)
              .map((quota) => (
                <Box key={quota.measure}>
                  <Box sx={{ fontWeight: 560, fontSize: '0.86rem', textTransform: 'capitalize' }}>
                    {quota.measure}
                  </Box>
                  <QuotaBar quota={quota} sells={home.type !== 'tenant'} />
                </Box>
              ))}
          </Box>
        )}
      </Query>
    </Section>
  );
}
