/** Rate cards: prices in one currency, in dated versions. */
import { Box, Link, MenuItem, TextField } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';
import { useSignedIn } from '../app/session';
import { DataTable, byText } from '../shared/DataTable';
import { formatPrice, formatQuantity } from '../shared/decimal';
import { Page } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import {
  type Rate,
  type RateCard,
  type RateCardVersion,
  current,
  formOf,
  rateCardsOptions,
} from './catalogue';

export default function RateCardsPage() {
  const cards = useQuery(rateCardsOptions);
  const { home } = useSignedIn();
  const [params, setParams] = useSearchParams();
  return (
    <Query query={cards}>
      {(found) => {
        const named = (card: RateCard) => `${card.seller}/${card.slug}`;
        const card = found.find((each) => named(each) === params.get('card')) ?? found[0];
        if (!card)
          return (
            <Page title="Prices">
              <Empty title="No rate cards yet">
                Publish one from a file: <code>gradumen catalogue publish FILE</code>
              </Empty>
            </Page>
          );
        const version =
          card.versions.find((each) => String(each.number) === params.get('version')) ?? current(card);
        return (
          <Page
            title={card.name}
            lead={`${card.seller === home.organisation ? 'Your prices' : `Prices of ${card.seller}`}, in ${card.currency}, for ${
              card.buyers === 'any' ? 'any buyer' : card.buyers
            }.`}
            filters={
              <>
                <TextField
                  select
                  label="Rate card"
                  value={named(card)}
                  sx={{ minWidth: 240 }}
                  onChange={(event) => setParams({ card: event.target.value }, { replace: true })}
                >
                  {found.map((each) => (
                    <MenuItem key={each.id} value={named(each)}>
                      {each.name} ({each.currency})
                    </MenuItem>
                  ))}
                </TextField>
                <TextField
                  select
                  label="Version"
                  value={String(version?.number ?? '')}
                  sx={{ minWidth: 190 }}
                  onChange={(event) =>
                    setParams({ card: named(card), version: event.target.value }, { replace: true })
                  }
                >
                  {card.versions.map((each) => (
                    <MenuItem key={each.number} value={String(each.number)}>
                      {each.number}, from {each.starts_on}
                      {each.in_force ? ', in force' : ''}
                    </MenuItem>
                  ))}
                </TextField>
              </>
            }
          >
            {version && <Rates card={card} version={version} />}
            <Link href={`/api/v1/rate-cards/${named(card)}/file`} download={`${card.slug}.yaml`}>
              Newest version as a file
            </Link>
          </Page>
        );
      }}
    </Query>
  );
}

function Rates({ card, version }: { card: RateCard; version: RateCardVersion }) {
  const before = card.versions.find((each) => each.number === version.number - 1);
  const earlier = new Map(before ? formOf(before).rates.map((rate) => [rate.rate, rate]) : []);
  const rows = formOf(version).rates;
  return (
    <Box sx={{ mb: 2 }}>
      <DataTable
        name="rates"
        label="Rates"
        rows={rows}
        rowKey={(rate) => rate.rate}
        columns={[
          { key: 'rate', title: 'Rate', cell: (rate) => rate.rate, order: byText((rate: Rate) => rate.rate) },
          {
            key: 'meter',
            title: 'What it prices',
            cell: (rate) => rate.meter ?? `fee of ${rate.fee}`,
            order: byText((rate: Rate) => rate.meter ?? rate.fee),
          },
          {
            key: 'where',
            title: 'Where',
            cell: (rate) =>
              Object.entries(rate.where ?? {})
                .map(([name, value]) => `${name} ${value}`)
                .join(', '),
          },
          { key: 'blocks', title: 'Quantity in the month', cell: (rate) => <Steps rate={rate} /> },
          { key: 'price', title: card.currency, number: true, cell: (rate) => <Prices rate={rate} /> },
          { key: 'per', title: 'Per', cell: (rate) => rate.per ?? 'month' },
          ...(before
            ? [
                {
                  key: 'before',
                  title: `Version ${before.number}`,
                  number: true,
                  cell: (rate: Rate) => {
                    const old = earlier.get(rate.rate);
                    return old ? (
                      <Box sx={{ color: 'text.secondary' }}>
                        <Prices rate={old} />
                      </Box>
                    ) : (
                      'new'
                    );
                  },
                },
              ]
            : []),
        ]}
      />
    </Box>
  );
}

function Prices({ rate }: { rate: Rate }) {
  const prices = rate.blocks?.map((block) => block.price) ?? [rate.price ?? ''];
  return prices.map((price, index) => <Box key={index}>{formatPrice(price)}</Box>);
}

function Steps({ rate }: { rate: Rate }) {
  if (!rate.blocks) return null;
  const blocks = rate.blocks;
  return blocks.map((block, index) => {
    const from = blocks[index - 1]?.['up-to'] ?? '0';
    const until = block['up-to'];
    return (
      <Box key={index}>
        {until ? `${formatQuantity(from)} to ${formatQuantity(until)}` : `above ${formatQuantity(from)}`}
      </Box>
    );
  });
}
