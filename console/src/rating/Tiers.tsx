/** Tiers beside each other: what each costs in a month for the same use, what it includes, and how it differs. */
import { Box, Button, Skeleton, Tooltip } from '@mui/material';
import type { UseQueryResult } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import type { PlanForm, Tier } from '../catalogue/catalogue';
import { useNames } from '../catalogue/names';
import { levelName, quantityWords, quotaWords } from '../catalogue/tierWords';
import { useMeasures } from '../organisations/measures';
import { periodName } from '../shared/dates';
import { Refusal } from '../shared/api';
import { compare, formatMoney, formatQuantity, times, subtract, sum } from '../shared/decimal';
import type { Estimate } from './estimates';

export function Tiers(props: {
  plan: PlanForm;
  recommended: string | null;
  estimates: UseQueryResult<Estimate>[];
  /** Something that was typed is no figure: nothing is priced until it is. */
  wrong: boolean;
  chosen: number;
  onLook: (tier: string) => void;
  onTake: ((tier: Tier) => void) | undefined;
  why: string | undefined;
  /** How many are wanted, and what the buyer has left of each measure; null where it has no limit. */
  quantity: string;
  left: ReadonlyMap<string, string | null>;
}) {
  const { plan, recommended, estimates, wrong, chosen, onLook, onTake, why, quantity, left } = props;
  const lowest = cheapest(estimates.map((each) => each.data));
  return (
    <Box
      component="ul"
      aria-label={`Tiers of ${plan.name}`}
      sx={{
        listStyle: 'none',
        p: 0,
        m: 0,
        mb: 4,
        display: 'grid',
        gap: 2,
        gridTemplateColumns: { xs: '1fr', md: `repeat(${Math.min(plan.tiers.length, 4)}, minmax(0, 1fr))` },
      }}
    >
      {plan.tiers.map((tier, index) => (
        <OneTier
          key={tier.tier}
          plan={plan}
          tier={tier}
          estimate={estimates[index]}
          wrong={wrong}
          lowest={lowest === index ? null : lowest === null ? undefined : estimates[lowest]?.data}
          lowestName={lowest === null ? '' : (plan.tiers[lowest]?.name ?? '')}
          recommended={tier.tier === recommended}
          looked={index === chosen}
          onLook={() => onLook(tier.tier)}
          onTake={onTake && (() => onTake(tier))}
          why={why}
          quantity={quantity}
          left={left}
        />
      ))}
    </Box>
  );
}

/** A month as it goes on: the last one that is whole. */
const steady = (estimate: Estimate) => estimate.months.at(-1) ?? { total: '0', lines: [] };

function cheapest(estimates: (Estimate | undefined)[]): number | null {
  let found: number | null = null;
  estimates.forEach((each, index) => {
    const best = found === null ? undefined : estimates[found];
    if (each && (!best || compare(steady(each).total, steady(best).total) < 0)) found = index;
  });
  return found;
}

function OneTier(props: {
  plan: PlanForm;
  tier: Tier;
  estimate: UseQueryResult<Estimate> | undefined;
  wrong: boolean;
  /** The cheapest one, where this is not it. */
  lowest: Estimate | null | undefined;
  lowestName: string;
  recommended: boolean;
  looked: boolean;
  onLook: () => void;
  onTake: (() => void) | undefined;
  why: string | undefined;
  quantity: string;
  left: ReadonlyMap<string, string | null>;
}) {
  const { plan, tier, estimate, wrong, lowest, lowestName, recommended, looked, onLook, onTake, why } = props;
  const { quantity, left } = props;
  const found = estimate?.data;
  return (
    <Box
      component="li"
      aria-current={looked}
      sx={{
        border: looked ? '2px solid var(--mui-palette-primary-main)' : '1px solid var(--mui-palette-divider)',
        p: looked ? 1.9 : 2,
        bgcolor: 'background.paper',
        display: 'flex',
        flexDirection: 'column',
        gap: 1.25,
        minWidth: 0,
      }}
    >
      <Box sx={{ display: 'flex', flexWrap: 'wrap', alignItems: 'baseline', columnGap: 1 }}>
        <Box component="h2" sx={{ fontSize: '1rem', m: 0, fontWeight: 640, flex: 1 }}>
          {tier.name}
        </Box>
        {recommended && <Box sx={{ color: 'primary.main', fontSize: '0.8rem' }}>recommended</Box>}
      </Box>
      <Box aria-live="polite" sx={{ minHeight: 74 }}>
        {wrong ? (
          <Box sx={{ color: 'warning.main', fontSize: '0.84rem' }}>
            Priced when each marked field is a figure.
          </Box>
        ) : estimate?.isError ? (
          <Box sx={{ color: 'warning.main', fontSize: '0.84rem' }}>
            {estimate.error instanceof Refusal && estimate.error.code === 'not_offered'
              ? 'Not offered to this customer.'
              : estimate.error.message}
          </Box>
        ) : found ? (
          <Price estimate={found} />
        ) : (
          <Skeleton height={60} />
        )}
      </Box>
      <Facts plan={plan} tier={tier} estimate={found} quantity={quantity} left={left} />
      {found && lowest && (
        <Box sx={{ fontSize: '0.82rem' }}>
          {formatMoney(subtract(steady(found).total, steady(lowest).total), found.currency)} {found.currency}{' '}
          a month more than {lowestName}.
        </Box>
      )}
      {found && lowest === null && (
        <Box sx={{ fontSize: '0.82rem', color: 'primary.main', fontWeight: 560 }}>
          The cheapest for these quantities.
        </Box>
      )}
      <Box sx={{ mt: 'auto', display: 'flex', gap: 1, flexWrap: 'wrap' }}>
        <Tooltip title={why ?? ''}>
          <span>
            <Button
              variant={recommended ? 'contained' : 'outlined'}
              disabled={!onTake || !found}
              onClick={onTake}
            >
              Take {tier.name}
            </Button>
          </span>
        </Tooltip>
        {!looked && <Button onClick={onLook}>Show its months</Button>}
      </Box>
      {why && <Box sx={{ fontSize: '0.78rem', color: 'text.secondary' }}>{why}</Box>}
    </Box>
  );
}

function Price({ estimate }: { estimate: Estimate }) {
  const { currency, months } = estimate;
  const first = months[0];
  const goes = steady(estimate);
  const money = (amount: string) => formatMoney(amount, currency);
  const same = !first || compare(first.total, goes.total) === 0;
  return (
    <>
      <Box sx={{ fontSize: '1.45rem', fontWeight: 640, fontVariantNumeric: 'tabular-nums', lineHeight: 1.2 }}>
        {money(goes.total)}{' '}
        <Box component="span" sx={{ fontSize: '0.82rem', fontWeight: 450, color: 'text.secondary' }}>
          {currency} a month
        </Box>
      </Box>
      <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>
        {first && !same && `${periodName(first.period)} ${money(first.total)}; `}
        {money(estimate.total)} over {months.length} {months.length === 1 ? 'month' : 'months'}
      </Box>
    </>
  );
}

/** What a tier has, in rows that stand beside those of the others. */
function Facts(props: {
  plan: PlanForm;
  tier: Tier;
  estimate: Estimate | undefined;
  quantity: string;
  left: ReadonlyMap<string, string | null>;
}) {
  const { plan, tier, estimate, quantity, left } = props;
  const names = useNames();
  const lines = estimate ? steady(estimate).lines : [];
  const of = (fees: boolean) =>
    estimate &&
    formatMoney(
      sum(lines.filter((line) => (line.service === '') === fees).map((line) => line.amount)),
      estimate.currency,
    );
  const keys = (read: (each: Tier) => Record<string, string> | undefined) => [
    ...new Set(plan.tiers.flatMap((each) => Object.keys(read(each) ?? {}))),
  ];
  const rows: [string, ReactNode][] = [
    ['Fee', of(true) ?? '—'],
    ['Use', of(false) ?? '—'],
    ...keys((each) => each.allowances).map((key): [string, ReactNode] => [
      `Included: ${names.meter(key)}`,
      tier.allowances?.[key] ? quantityWords(tier.allowances[key]) : '—',
    ]),
    ...keys((each) => each.levels).map((key): [string, ReactNode] => [
      levelName(key),
      tier.levels?.[key] ? quantityWords(tier.levels[key]) : '—',
    ]),
    ...keys((each) => each.quotas).map((key): [string, ReactNode] => [
      `Quota: ${key}`,
      tier.quotas?.[key] ? (
        <Promised key={key} measure={key} each={tier.quotas[key]} quantity={quantity} left={left.get(key)} />
      ) : (
        '—'
      ),
    ]),
    ['Least term', Number(plan['minimum-months'] ?? 0) ? `${plan['minimum-months']} months` : 'none'],
  ];
  return (
    <Box component="dl" sx={{ m: 0, fontSize: '0.82rem' }}>
      {rows.map(([name, value]) => (
        <Box
          key={name}
          sx={{ display: 'flex', gap: 1, py: 0.6, borderBottom: '1px solid', borderColor: 'hairline' }}
        >
          <Box component="dt" sx={{ color: 'text.secondary', flex: 1 }}>
            {name}
          </Box>
          <Box component="dd" sx={{ m: 0, textAlign: 'right' }}>
            {value}
          </Box>
        </Box>
      ))}
    </Box>
  );
}

/** What a tier promises of a measure, beside what the buyer has left: more than that is refused when it is taken. */
function Promised(props: {
  measure: string;
  each: string;
  quantity: string;
  left: string | null | undefined;
}) {
  const { measure, each, quantity, left } = props;
  const promised = /^[1-9]\d*$/.test(quantity) ? times(each, quantity) : each;
  const lacks = left != null && compare(promised, left) > 0;
  return (
    <>
      {quotaWords(useMeasures(), measure, promised)}
      {left != null && (
        <Box sx={{ fontSize: '0.78rem', color: lacks ? 'error.main' : 'text.secondary' }}>
          {lacks
            ? `only ${formatQuantity(compare(left, '0') > 0 ? left : '0')} left`
            : `of ${formatQuantity(left)} left`}
        </Box>
      )}
    </>
  );
}
