/** One plan: its tiers in columns, its terms, and what the viewer offers of it. */
import { Box, Button, Typography } from '@mui/material';
import type { ReactNode } from 'react';
import { useSignedIn } from '../access/session';
import type { Schemas } from '../shared/api';
import { DataTable } from '../shared/DataTable';
import { formatMoney } from '../shared/decimal';
import { Section } from '../shared/Page';
import { type PlanForm, type RateCard, type Tier, current, formOf } from './catalogue';
import { useUnpublishedChange } from './unpublishedChanges';
import { type Offer, type OfferForm, toWords } from './offers';
import { perWords } from './rates';
import { useNames } from './names';
import { useMeasures } from '../organisations/measures';
import { levelName, quantityWords, quotaWords } from './tierWords';

type Published = Schemas['PublishedPlanBody'];

interface Aspect {
  key: string;
  title: string;
  cell: (tier: Tier) => ReactNode;
}

export function Plan({
  published,
  offer,
  card,
}: {
  published: Published;
  /** What the viewer offers of it to its own buyers. */
  offer: Offer | undefined;
  card: RateCard | undefined;
}) {
  const measures = useMeasures();
  const { home } = useSignedIn();
  const names = useNames();
  const { version, withdrawn } = published;
  const plan = published.form as PlanForm;
  const own = published.seller === home.organisation;
  const recommended = own ? (offer?.form as OfferForm | undefined)?.recommended : published.recommended;
  const shown = card && current(card);
  const change = useUnpublishedChange('plan', plan.plan, plan as unknown as Record<string, unknown>);
  const offering = useUnpublishedChange('offer', plan.plan, offer?.form ?? { offer: plan.plan, to: 'all' });
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
  const list = (entries: [string, string][]) =>
    entries.length
      ? entries.map(([name, value]) => (
          <Box key={name}>
            {value}{' '}
            <Box component="span" sx={{ color: 'text.secondary' }}>
              {name}
            </Box>
          </Box>
        ))
      : '—';
  const of = (
    values: Record<string, string> | undefined,
    name: (key: string, value: string) => string,
    words: (key: string, value: string) => string,
  ) => list(Object.entries(values ?? {}).map(([key, value]) => [name(key, value), words(key, value)]));
  const rows: Aspect[] = [
    { key: 'fee', title: 'Fee', cell: fee },
    {
      key: 'levels',
      title: 'Service levels',
      cell: (tier) =>
        of(
          tier.levels,
          (key, value) => (key === 'copies' && value === '1' ? 'copy' : levelName(key).toLowerCase()),
          (_, value) => quantityWords(value),
        ),
    },
    {
      key: 'allowances',
      title: 'Included each month',
      cell: (tier) => of(tier.allowances, names.meter, (_, value) => quantityWords(value)),
    },
    {
      key: 'quotas',
      title: 'Default quotas',
      cell: (tier) =>
        of(
          tier.quotas,
          (key) => key,
          (key, value) => quotaWords(measures, key, value),
        ),
    },
    {
      key: 'sale',
      title: 'Sale',
      cell: (tier) => (withdrawn[tier.tier] ? `not sold from ${withdrawn[tier.tier]} on` : '—'),
    },
    { key: 'description', title: 'For', cell: (tier) => tier.description || '—' },
  ];
  const months = Number(plan['minimum-months'] ?? 0);
  const renews = Number(plan.renewal?.months ?? 0);
  const notice = Number(plan.renewal?.['notice-days'] ?? 0);
  const terms = [
    months > 0 && `At least ${months} months`,
    renews > 0 && `Renews every ${renews} months unless ended ${notice} days before`,
    renews === 0 && notice > 0 && `${notice} days' notice`,
    plan.terms && `Terms of version ${plan.terms.version} are accepted by who subscribes`,
    !published.offered && 'Not on offer; a subscription still has it',
    plan.trial &&
      `${plan.trial.days} days on trial, then it ${plan.trial.then === 'ends' ? 'ends' : 'goes on'}`,
  ].filter((each) => each !== false && each !== undefined);
  const aspects = rows.filter((row) => plan.tiers.some((tier) => row.cell(tier) !== '—'));
  return (
    <Section
      id={`plan-${plan.plan}`}
      title={plan.name}
      aside={
        <>
          <Typography variant="body2" sx={{ color: 'text.secondary' }}>
            {plan.services.join(', ')} · version {version}
            {!own && ` · from ${published.seller}`}
          </Typography>
          {offering.mayEdit && (
            <Button onClick={offering.open} loading={offering.opening} aria-label={`Offer ${plan.name}`}>
              Offer
            </Button>
          )}
          {own && change.mayEdit && (
            <Button onClick={change.open} loading={change.opening} aria-label={`Edit ${plan.name}`}>
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
      {home.type !== 'tenant' && <OfferLine offer={offer} />}
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
                  {tier.tier === recommended && (
                    <Box component="span" sx={{ color: 'primary.main', fontWeight: 400 }}>
                      {' '}
                      recommended
                    </Box>
                  )}
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

/** What the viewer offers of a plan to its own buyers. */
function OfferLine({ offer }: { offer: Offer | undefined }) {
  const form = offer?.form as OfferForm | undefined;
  const tiers = Object.values(form?.tiers ?? {});
  return (
    <Typography variant="body2" sx={{ mb: 1 }}>
      {form ? (
        <>
          You offer it to {toWords(form.to)}
          {form.name && ` as ${form.name}`}: {tiers.join(', ')}.
        </>
      ) : (
        <Box component="span" sx={{ color: 'text.secondary' }}>
          You offer it to nobody.
        </Box>
      )}
      {offer && offer.lapsed.length > 0 && (
        <Box component="span" sx={{ color: 'warning.main' }}>
          {' '}
          Your supplier does not offer you {offer.lapsed.join(', ')} any more, so nobody can order it.
        </Box>
      )}
    </Typography>
  );
}
