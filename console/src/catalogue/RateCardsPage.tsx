/** Rate cards: prices in one currency, in dated versions. */
import { Box, Button, Link, MenuItem, TextField, Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';
import { useSignedIn } from '../access/session';
import { DataTable, byText } from '../shared/DataTable';
import { nextMonth } from '../shared/dates';
import { formatPrice } from '../shared/decimal';
import { Page, Section } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { formatUnit } from '../shared/units';
import { PriceChanges } from './PriceChanges';
import { UnitPriceCurve } from './UnitPriceCurve';
import { useCalled } from './names';
import { discountWords, drawable, limitWords, perWords, priceRows, whatWords, whereWords } from './rates';
import { useUnpublishedChange } from './unpublishedChanges';
import {
  type Rate,
  type RateCard,
  type RateCardVersion,
  current,
  formOf,
  leadOf,
  rateCardsOptions,
} from './catalogue';

export default function RateCardsPage() {
  const cards = useQuery(rateCardsOptions);
  const { home } = useSignedIn();
  const [params, setParams] = useSearchParams();
  const choose = (values: Record<string, string>) =>
    setParams(
      (before) => {
        before.delete('version');
        for (const [name, value] of Object.entries(values)) before.set(name, value);
        return before;
      },
      { replace: true },
    );
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
            lead={leadOf(card, home.organisation)}
            filters={
              <>
                <TextField
                  select
                  label="Rate card"
                  value={named(card)}
                  sx={{ minWidth: 240 }}
                  onChange={(event) => choose({ card: event.target.value })}
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
                  onChange={(event) => choose({ card: named(card), version: event.target.value })}
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
            <PriceChanges />
            {version && <Rates card={card} version={version} />}
            {card.seller === home.organisation && <EditCard card={card} />}
            <Link href={`/api/v1/rate-cards/${named(card)}/file`} download={`${card.slug}.yaml`}>
              Newest version as a file
            </Link>
          </Page>
        );
      }}
    </Query>
  );
}

/** What a version was written as: a derived card's without the rates that it takes from its base. */
function sourceOf(form: Record<string, unknown>): Record<string, unknown> {
  const derived = form.derived as { own?: unknown[] } | undefined;
  if (!derived) return form;
  const { own, ...how } = derived;
  return { ...form, rates: own ?? [], derived: how };
}

/** Begin the next version, or go on with the one there is. */
function EditCard({ card }: { card: RateCard }) {
  const { session } = useSignedIn();
  const newest = card.versions[card.versions.length - 1];
  const change = useUnpublishedChange('rate-card', card.slug, {
    ...sourceOf(newest?.form ?? {}),
    'starts-on': nextMonth(session.now),
  });
  if (!change.mayEdit) return null;
  return (
    <Button variant="outlined" sx={{ mr: 2 }} onClick={change.open} loading={change.opening}>
      Write the next version
    </Button>
  );
}

function Rates({ card, version }: { card: RateCard; version: RateCardVersion }) {
  const called = useCalled();
  const what = (rate: Rate) => whatWords(rate, called);
  const before = card.versions.find((each) => each.number === version.number - 1);
  const earlier = new Map(before ? formOf(before).rates.map((rate) => [rate.rate, rate]) : []);
  const rows = formOf(version).rates;
  const drawn = rows.filter((rate) => drawable(rate));
  const limited = rows.some((rate) => limitWords(rate));
  return (
    <Box sx={{ mb: 2 }}>
      <DataTable
        name="rates"
        label="Rates"
        rows={rows}
        rowKey={(rate) => rate.rate}
        columns={[
          { key: 'rate', title: 'Rate', cell: (rate) => rate.rate, order: byText((rate: Rate) => rate.rate) },
          { key: 'meter', title: 'What it prices', cell: what, order: byText(what) },
          { key: 'where', title: 'Where', cell: whereWords },
          {
            key: 'blocks',
            title: 'Quantity in the month',
            cell: (rate) => priceRows(rate).map((row, index) => <Box key={index}>{row.range}</Box>),
          },
          { key: 'price', title: card.currency, number: true, cell: (rate) => <Prices rate={rate} /> },
          { key: 'per', title: 'Per', cell: (rate) => formatUnit(perWords(rate)) },
          ...(limited ? [{ key: 'limits', title: 'Bounds', cell: limitWords }] : []),
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
      {formOf(version).overhead && (
        <Typography variant="body2" sx={{ mt: 1.5 }}>
          Overhead of {formOf(version).overhead} % on all that is charged by it.
        </Typography>
      )}
      {formOf(version).composites && (
        <Typography variant="body2" sx={{ mt: 1.5 }}>
          What is made of other resources is charged as its components.
        </Typography>
      )}
      {formOf(version).derived && (
        <Typography variant="body2" sx={{ mt: 1.5 }}>
          Follows {formOf(version).derived?.base}, with {formOf(version).derived?.['on-top']?.percent ?? '0'}{' '}
          % on top
          {formOf(version).derived?.['price-step'] &&
            `, in steps of ${formOf(version).derived?.['price-step'] ?? ''}`}
          ; a new version of that makes one of this from the same day.
        </Typography>
      )}
      {(formOf(version).discounts ?? []).length > 0 && (
        <Box sx={{ mt: 2 }}>
          <DataTable
            name="discounts"
            label="Discounts"
            rows={formOf(version).discounts ?? []}
            rowKey={(discount) => discount.discount}
            columns={[
              { key: 'name', title: 'Discount, in this order', cell: (discount) => discount.name },
              { key: 'what', title: 'What it takes off', cell: discountWords },
            ]}
          />
        </Box>
      )}
      {drawn.length > 0 && (
        <Section title="What a unit costs on average as more is used">
          <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 4 }}>
            {drawn.map((rate) => (
              <Box key={rate.rate}>
                <Box sx={{ fontSize: '0.84rem' }}>{rate.rate}</Box>
                <UnitPriceCurve rate={rate} />
              </Box>
            ))}
          </Box>
        </Section>
      )}
    </Box>
  );
}

function Prices({ rate }: { rate: Rate }) {
  return priceRows(rate).map((row, index) => (
    <Box key={index}>{rate.markup ? row.price : formatPrice(row.price)}</Box>
  ));
}
