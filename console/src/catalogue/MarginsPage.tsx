/** What is paid beside what is taken, rate by rate, for the one who earns between them. */
import { MenuItem, TextField, Typography } from '@mui/material';
import { queryOptions, useQuery } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';
import { useSignedIn } from '../access/session';
import { api, body, type Schemas } from '../shared/api';
import { DataTable, byText } from '../shared/DataTable';
import { compare, formatPercent, formatPrice } from '../shared/decimal';
import { Page } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { formatUnit } from '../shared/units';
import { rateCardsOptions } from './catalogue';
import { useCalled } from './names';
import { type CalledBy, whatWords } from './rates';

type Margin = Schemas['MarginBody'];

const marginsOptions = (seller: string, slug: string, against: string | null) =>
  queryOptions({
    queryKey: ['margins', seller, slug, against],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/rate-cards/{seller}/{slug}/margins', {
          params: { path: { seller, slug }, query: { against } },
        }),
      ),
    retry: false,
  });

export default function MarginsPage() {
  const { home } = useSignedIn();
  const called = useCalled();
  const cards = useQuery(rateCardsOptions);
  const [params, setParams] = useSearchParams();
  const own = (cards.data ?? []).filter((each) => each.seller === home.organisation);
  const sold = own.filter((each) => each.buyers !== 'own-use');
  const card = sold.find((each) => each.slug === params.get('card')) ?? sold[0];
  const bought = (cards.data ?? []).filter(
    (each) =>
      each.currency === card?.currency &&
      (each.seller !== home.organisation || (each.buyers === 'own-use' && each.slug !== card.slug)),
  );
  const cardName = (written: string) =>
    cards.data?.find((each) => `${each.seller}/${each.slug}` === written)?.name ?? written;
  const against = bought.find((each) => `${each.seller}/${each.slug}` === params.get('against'));
  const path = against ? `${against.seller}/${against.slug}` : null;
  const margins = useQuery({
    ...marginsOptions(home.organisation, card?.slug ?? '', path),
    enabled: card !== undefined,
  });
  if (cards.data && !card)
    return (
      <Page title="Price margins">
        <Empty title="You sell by no rate card yet">
          Publish one; then its prices stand beside what you pay.
        </Empty>
      </Page>
    );
  const choose = (name: string) => (event: { target: { value: string } }) =>
    setParams(
      (before) => {
        before.set(name, event.target.value);
        return before;
      },
      { replace: true },
    );
  return (
    <Page
      title="Price margins"
      lead={
        margins.data
          ? `You pay by ${cardName(margins.data.buys_by)} and charge by ${cardName(margins.data.sells_by)}, in ${margins.data.currency}, today. Nobody else sees this.`
          : 'What you pay beside what you charge, today. Nobody else sees this.'
      }
      filters={
        card && (
          <>
            <TextField
              select
              label="Sold by"
              value={card.slug}
              sx={{ minWidth: 210 }}
              onChange={choose('card')}
            >
              {sold.map((each) => (
                <MenuItem key={each.slug} value={each.slug}>
                  {each.name} ({each.currency})
                </MenuItem>
              ))}
            </TextField>
            {bought.length > 1 && (
              <TextField
                select
                label="Bought by"
                value={path ?? margins.data?.buys_by ?? ''}
                sx={{ minWidth: 210 }}
                onChange={choose('against')}
              >
                {bought.map((each) => (
                  <MenuItem key={each.id} value={`${each.seller}/${each.slug}`}>
                    {each.name}
                  </MenuItem>
                ))}
              </TextField>
            )}
          </>
        )
      }
    >
      {!card && <Query query={cards}>{() => null}</Query>}
      {card && (
        <Query query={margins}>
          {(found) => (
            <>
              <DataTable
                name="margins"
                label="Price margins"
                rows={found.rates}
                rowKey={(row) => row.rate}
                columns={columns(found.currency, called)}
              />
              <Typography variant="body2" sx={{ color: 'text.secondary', mt: 1.5 }}>
                Prices of the first unit; “at the lowest price” compares the cheapest blocks. A rate with
                conditions is compared by an example that fulfils them. Allowances and discounts are not in
                it.
              </Typography>
            </>
          )}
        </Query>
      )}
    </Page>
  );
}

const shown = (price: string | null): string => (price === null ? '—' : formatPrice(price));
const percent = (value: string | null): string => (value === null ? '—' : formatPercent(value));

const columns = (currency: string, called: CalledBy) => [
  {
    key: 'rate',
    title: 'Rate',
    cell: (row: Margin) => row.rate,
    order: byText((row: Margin) => row.rate),
  },
  {
    key: 'what',
    title: 'What it prices',
    cell: ({ rate, meter, fee, where }: Margin) =>
      [whatWords({ rate, ...(meter ? { meter } : { fee: fee ?? '' }) }, called), where]
        .filter(Boolean)
        .join(', '),
  },
  { key: 'per', title: 'Per', cell: (row: Margin) => formatUnit(row.unit) },
  { key: 'buy', title: `You pay, ${currency}`, number: true, cell: (row: Margin) => shown(row.buy) },
  { key: 'sell', title: `You charge, ${currency}`, number: true, cell: (row: Margin) => shown(row.sell) },
  { key: 'margin', title: 'Margin', number: true, cell: (row: Margin) => shown(row.margin) },
  {
    key: 'percent',
    title: 'Margin %',
    number: true,
    cell: (row: Margin) => percent(row.percent),
    order: (a: Margin, b: Margin) => compare(a.percent ?? '-1000', b.percent ?? '-1000'),
  },
  {
    key: 'lowest',
    title: 'Margin at the lowest price',
    number: true,
    cell: (row: Margin) => percent(row.percent_lowest),
  },
];
