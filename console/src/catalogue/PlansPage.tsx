/** Plans with their tiers in columns, and the services they are made of. */
import { Box, Button, MenuItem, TextField, Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { useSearchParams } from 'react-router';
import { DataTable } from '../shared/DataTable';
import { formatMoney, formatQuantity } from '../shared/decimal';
import { perWords } from './rates';
import { useDraft } from './drafts';
import { Page, Section } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import {
  type PlanForm,
  type RateCard,
  type ServiceForm,
  type Tier,
  current,
  formOf,
  plansOptions,
  rateCardsOptions,
  servicesOptions,
} from './catalogue';

export default function PlansPage() {
  const plans = useQuery(plansOptions);
  const services = useQuery(servicesOptions);
  const cards = useQuery(rateCardsOptions);
  const [params, setParams] = useSearchParams();
  const named = (card: RateCard) => `${card.seller}/${card.slug}`;
  const card =
    cards.data?.find((each) => named(each) === params.get('card')) ??
    cards.data?.find((each) => each.buyers === 'tenants') ??
    cards.data?.[0];
  return (
    <Page
      title="What can be subscribed to"
      lead="Plans with their tiers in rising order; fees are those of the chosen rate card, in force today."
      filters={
        card && (
          <TextField
            select
            label="Fees by"
            value={named(card)}
            sx={{ minWidth: 230 }}
            onChange={(event) => setParams({ card: event.target.value }, { replace: true })}
          >
            {cards.data?.map((each) => (
              <MenuItem key={each.id} value={named(each)}>
                {each.name}
              </MenuItem>
            ))}
          </TextField>
        )
      }
    >
      <Query query={plans}>
        {(found) =>
          found.length ? (
            found.map((plan) => (
              <Plan
                key={plan.slug}
                plan={plan.form as unknown as PlanForm}
                version={plan.version}
                withdrawn={plan.withdrawn}
                card={card}
              />
            ))
          ) : (
            <Empty title="No plans yet">
              Publish one from a file: <code>gradumen catalogue publish FILE</code>
            </Empty>
          )
        }
      </Query>
      <Query query={services}>
        {(found) => <Services services={found.map((service) => service.form as unknown as ServiceForm)} />}
      </Query>
    </Page>
  );
}

const withUnits = (quotas: Record<string, string>): Record<string, string> =>
  Object.fromEntries(
    Object.entries(quotas).map(([name, value]) => [
      name,
      `${formatQuantity(value)} ${name === 'storage' ? 'GiB' : 'vCPU'}`,
    ]),
  );

const LEVELS: Record<string, string> = {
  'recovery-point': 'recovery point',
  'recovery-time': 'recovery time',
  copies: 'copies',
  'kept-for': 'kept',
  'response-time': 'response',
};
const named = (levels: Record<string, string>): Record<string, string> =>
  Object.fromEntries(
    Object.entries(levels).map(([name, value]) => {
      const [count = '', unit = ''] = value.split(' ');
      if (!unit) return [count === '1' ? 'copy' : (LEVELS[name] ?? name), count];
      return [LEVELS[name] ?? name, `${count} ${unit}${count === '1' ? '' : 's'}`];
    }),
  );

interface Aspect {
  key: string;
  title: string;
  cell: (tier: Tier) => ReactNode;
}

function Plan({
  plan,
  version,
  withdrawn,
  card,
}: {
  plan: PlanForm;
  version: number;
  withdrawn: Record<string, string>;
  card: RateCard | undefined;
}) {
  const shown = card && current(card);
  const draft = useDraft('plan', plan.plan, plan as unknown as Record<string, unknown>);
  const fee = (tier: Tier): ReactNode => {
    const rates = shown ? formOf(shown).rates.filter((each) => each.fee === `${plan.plan}/${tier.tier}`) : [];
    if (!rates.length || !card) return '—';
    return rates.map((rate) => (
      <Box key={rate.rate}>
        {formatMoney(rate.price ?? '0', card.currency)} {card.currency}{' '}
        <Box component="span" sx={{ color: 'text.secondary' }}>
          {rate.every === 'once' ? 'once' : `per ${perWords(rate)}`}
        </Box>
      </Box>
    ));
  };
  const list = (entries: Record<string, string> = {}) =>
    Object.keys(entries).length
      ? Object.entries(entries).map(([name, value]) => (
          <Box key={name}>
            {value.replace(/^\d+(\.\d+)?/, (count) => formatQuantity(count, 6))}{' '}
            <Box component="span" sx={{ color: 'text.secondary' }}>
              {name}
            </Box>
          </Box>
        ))
      : '—';
  const rows: Aspect[] = [
    { key: 'fee', title: 'Fee', cell: fee },
    { key: 'levels', title: 'Service levels', cell: (tier) => list(named(tier.levels ?? {})) },
    { key: 'allowances', title: 'Included each month', cell: (tier) => list(tier.allowances) },
    { key: 'quotas', title: 'Default quotas', cell: (tier) => list(withUnits(tier.quotas ?? {})) },
    {
      key: 'sale',
      title: 'Sale',
      cell: (tier) => (withdrawn[tier.tier] ? `not sold from ${withdrawn[tier.tier]} on` : '—'),
    },
    { key: 'description', title: 'For', cell: (tier) => tier.description || '—' },
  ];
  const months = Number(plan['minimum-months'] ?? 0);
  const terms = [
    months > 0 && `At least ${months} months`,
    plan.trial &&
      `${plan.trial.days} days on trial, then it ${plan.trial.then === 'ends' ? 'ends' : 'goes on'}`,
  ].filter((each) => each !== false && each !== undefined);
  const aspects = rows.filter((row) => plan.tiers.some((tier) => row.cell(tier) !== '—'));
  return (
    <Section
      title={plan.name}
      aside={
        <>
          <Typography variant="body2" sx={{ color: 'text.secondary' }}>
            {plan.services.join(', ')} · version {version}
          </Typography>
          {draft.mayEdit && (
            <Button onClick={draft.open} loading={draft.opening} aria-label={`Edit ${plan.name}`}>
              Edit
            </Button>
          )}
        </>
      }
    >
      {terms.length > 0 && (
        <Typography variant="body2" sx={{ mb: 1 }}>
          {terms.join('. ')}.
        </Typography>
      )}
      {plan.description && (
        <Typography variant="body2" sx={{ color: 'text.secondary', mb: 1 }}>
          {plan.description}
        </Typography>
      )}
      {aspects.length === 0 && (
        <Typography variant="body2" sx={{ color: 'text.secondary' }}>
          One tier without fee, allowances or quotas by this rate card.
        </Typography>
      )}
      {aspects.length > 0 && (
        <DataTable
          name={plan.plan}
          label={plan.name}
          rows={aspects}
          rowKey={(row) => row.key}
          columns={[
            {
              key: 'aspect',
              title: '',
              width: 170,
              cell: (row) => <Box sx={{ color: 'text.secondary' }}>{row.title}</Box>,
            },
            ...plan.tiers.map((tier) => ({
              key: tier.tier,
              title: (
                <Box component="span" sx={{ color: 'text.primary', fontWeight: 620 }}>
                  {tier.name}
                </Box>
              ),
              width: `${78 / plan.tiers.length}%`,
              cell: (row: Aspect) => <Box sx={{ py: 0.75 }}>{row.cell(tier)}</Box>,
            })),
          ]}
        />
      )}
    </Section>
  );
}

function Services({ services }: { services: ServiceForm[] }) {
  const rows = services.flatMap((service) =>
    Object.entries(service.meters).map(([slug, meter], index) => ({
      service,
      slug,
      meter,
      first: index === 0,
    })),
  );
  return (
    <Section title="Services and what is counted">
      <DataTable
        name="services"
        label="Services"
        rows={rows}
        rowKey={(row) => `${row.service.service}/${row.slug}`}
        columns={[
          { key: 'service', title: 'Service', cell: (row) => (row.first ? row.service.name : '') },
          { key: 'meter', title: 'Meter', cell: (row) => row.meter.name },
          { key: 'unit', title: 'Counted in', cell: (row) => row.meter.unit },
          {
            key: 'combine',
            title: 'Samples',
            cell: (row) => (row.meter.combine === 'level' ? 'a level, over time' : 'add up'),
          },
          {
            key: 'attributes',
            title: 'Price can depend on',
            cell: (row) =>
              row.first
                ? Object.entries(row.service.attributes ?? {})
                    .map(([name, values]) => `${name} (${values.join(', ')})`)
                    .join('; ')
                : '',
          },
          { key: 'category', title: 'Category', cell: (row) => (row.first ? row.service.subcategory : '') },
        ]}
      />
    </Section>
  );
}
