/** Subscribe an organisation: plan, tier, choices and terms, with the fees beside them as one chooses. */
import { Box, Checkbox, FormControlLabel, MenuItem, TextField } from '@mui/material';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { type PlanForm, plansOptions } from '../catalogue/catalogue';
// What a choice would cost stands beside it.
// eslint-disable-next-line no-restricted-imports
import { estimateOptions } from '../rating/estimates';
import { Line, Row, Select } from '../catalogue/fields';
import { type Organisation, projectsOptions } from '../organisations/organisations';
import { api, body } from '../shared/api';
import { addDays } from '../shared/dates';
import { formatMoney } from '../shared/decimal';
import { FormDialog } from '../shared/FormDialog';
import { Choices } from './Choices';
import { useSubscriptionChange } from './subscriptions';

interface Props {
  organisation: Organisation;
  today: string;
  onClose: () => void;
}

export function SubscribeDialog({ organisation, today, onClose }: Props) {
  const plans = useQuery(plansOptions);
  const projects = useQuery(projectsOptions(organisation.slug));
  const [chosen, setChosen] = useState('');
  const [tier, setTier] = useState('');
  const [name, setName] = useState<string | null>(null);
  const [project, setProject] = useState('');
  const [quantity, setQuantity] = useState('1');
  const [from, setFrom] = useState(today);
  const [until, setUntil] = useState('');
  const [trial, setTrial] = useState(false);
  const [choices, setChoices] = useState<Record<string, string>>({});
  const [accepted, setAccepted] = useState(false);
  const offered = (plans.data ?? []).filter((each) => each.offered);
  const plan = offered.find((each) => each.slug === chosen)?.form as PlanForm | undefined;
  const recommended = offered.find((each) => each.slug === chosen)?.recommended;
  const level = plan?.tiers.find((each) => each.tier === tier);
  const title = name ?? plan?.name ?? '';
  const trialEnds = trial && plan?.trial ? addDays(from, Number(plan.trial.days)) : null;
  const subscribe = useSubscriptionChange(
    async () =>
      body(
        await api.POST('/api/v1/subscriptions', {
          body: {
            organisation: organisation.slug,
            project: project || null,
            plan: chosen,
            tier,
            name: title,
            quantity: Number(quantity),
            starts_on: from,
            ends_on:
              (until && addDays(until, 1)) || (trialEnds && plan?.trial?.then === 'ends' ? trialEnds : null),
            rate_card: null,
            trial_until: trialEnds,
            choices: Object.keys(choices).length ? choices : null,
            accepted_terms: accepted ? (plan?.terms?.version ?? null) : null,
          },
        }),
      ),
    onClose,
  );
  return (
    <FormDialog
      title={`Subscribe ${organisation.name}`}
      act="Subscribe"
      change={subscribe}
      ready={Boolean(level && title && from) && (!plan?.terms || accepted)}
      onClose={onClose}
    >
      <Row>
        <Select
          label="Plan"
          value={chosen}
          width={240}
          options={offered.map((each) => [each.slug, (each.form as PlanForm).name] as const)}
          onChange={(next) => {
            const found = offered.find((each) => each.slug === next);
            setChosen(next);
            setTier(found?.recommended ?? (found?.form as PlanForm).tiers[0]?.tier ?? '');
            setChoices({});
            setAccepted(false);
          }}
        />
        {plan && (
          <Select
            label="Tier"
            value={tier}
            width={220}
            options={plan.tiers.map(
              (each) =>
                [each.tier, each.tier === recommended ? `${each.name}, recommended` : each.name] as const,
            )}
            onChange={setTier}
          />
        )}
      </Row>
      {plan && (
        <>
          {level?.description && (
            <Box sx={{ fontSize: '0.86rem', color: 'text.secondary' }}>{level.description}</Box>
          )}
          <Row>
            <Line label="Its own name" value={title} onChange={setName} width={200} />
            <Line label="How many" value={quantity} onChange={setQuantity} width={90} />
            <TextField
              select
              label="For"
              value={project}
              sx={{ width: 235 }}
              onChange={(event) => setProject(event.target.value)}
              slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
            >
              <MenuItem value="">the whole organisation</MenuItem>
              {(projects.data ?? []).map((each) => (
                <MenuItem key={each.slug} value={each.slug}>
                  {each.name}
                </MenuItem>
              ))}
            </TextField>
          </Row>
          <Row>
            <Line label="From" value={from} onChange={setFrom} width={150} />
            <Line label="Last day" value={until} onChange={setUntil} width={170} />
            {plan.trial && (
              <FormControlLabel
                control={<Checkbox checked={trial} onChange={(event) => setTrial(event.target.checked)} />}
                label={`${plan.trial.days} days on trial first`}
              />
            )}
          </Row>
          <Choices plan={plan} chosen={choices} onChange={setChoices} />
          {plan.terms && (
            <Box>
              <Box
                sx={{
                  fontSize: '0.84rem',
                  maxHeight: 120,
                  overflow: 'auto',
                  border: '1px solid',
                  borderColor: 'divider',
                  p: 1.25,
                  whiteSpace: 'pre-line',
                }}
                tabIndex={0}
                role="region"
                aria-label="Terms"
              >
                {plan.terms.text}
              </Box>
              <FormControlLabel
                control={
                  <Checkbox checked={accepted} onChange={(event) => setAccepted(event.target.checked)} />
                }
                label={`The terms of version ${plan.terms.version} are accepted`}
              />
            </Box>
          )}
          {level && (
            <Fees
              organisation={organisation.slug}
              plan={chosen}
              tier={tier}
              quantity={Number(quantity) || 1}
              from={from}
            />
          )}
        </>
      )}
    </FormDialog>
  );
}

/** What the fees come to over a year; usage comes on top of them. */
function Fees(asked: { organisation: string; plan: string; tier: string; quantity: number; from: string }) {
  const { from, ...order } = asked;
  const estimate = useQuery({
    ...estimateOptions({ ...order, first_day: from, months: 12, expected: [], rate_card: null }),
    enabled: /^\d{4}-\d{2}-\d{2}$/.test(from),
    placeholderData: keepPreviousData,
  });
  if (estimate.isError)
    return <Box sx={{ fontSize: '0.86rem', color: 'warning.main' }}>{estimate.error.message}</Box>;
  if (!estimate.data) return null;
  const { currency, total, rate_card: card, seller } = estimate.data;
  return (
    <Box sx={{ fontSize: '0.9rem' }} aria-live="polite">
      Fees over twelve months:{' '}
      <strong>
        {formatMoney(total, currency)} {currency}
      </strong>
      <Box component="span" sx={{ color: 'text.secondary' }}>
        {' '}
        by {seller}/{card}; usage comes on top.
      </Box>
    </Box>
  );
}
