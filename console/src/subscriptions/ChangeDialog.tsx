/** Change a subscription from a day on, or end it; what one customer has of its own is changed here too. */
import { Box, Checkbox, FormControlLabel } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSignedIn } from '../access/session';
import { type PlanForm, plansOptions, rateCardsOptions } from '../catalogue/catalogue';
import { Line, Pairs, Row, Select } from '../catalogue/fields';
import { api, body } from '../shared/api';
import { addDays } from '../shared/dates';
import { DayPicker, UNFINISHED } from '../shared/DateInput';
import { FormDialog } from '../shared/FormDialog';
import { Choices } from './Choices';
import { type Subscription, useSubscriptionChange } from './subscriptions';

interface Props {
  subscription: Subscription;
  today: string;
  onClose: () => void;
}

export function ChangeDialog({ subscription, today, onClose }: Props) {
  const plans = useQuery(plansOptions);
  const [from, setFrom] = useState(today);
  const [tier, setTier] = useState(subscription.tier ?? '');
  const [quantity, setQuantity] = useState(String(subscription.quantity));
  const held = subscription.stretches.filter((each) => each.starts_on <= today).pop();
  const [paused, setPaused] = useState(held?.paused ?? false);
  const found = plans.data?.find((each) => each.slug === subscription.plan);
  const plan = found?.form as PlanForm | undefined;
  const newest = found?.version ?? subscription.plan_version;
  const [moves, setMoves] = useState(false);
  const [choices, setChoices] = useState<Record<string, string>>({});
  const change = useSubscriptionChange(
    async () =>
      body(
        await api.POST('/api/v1/subscriptions/{subscription_id}/change', {
          params: { path: { subscription_id: subscription.id } },
          body: {
            starts_on: from,
            tier: tier === subscription.tier ? null : tier,
            quantity: Number(quantity) === subscription.quantity ? null : Number(quantity),
            paused: paused === (held?.paused ?? false) ? null : paused,
            plan_version: moves ? newest : null,
            choices: Object.keys(choices).length ? choices : null,
            accepted_terms: moves ? (plan?.terms?.version ?? null) : null,
            version: subscription.version,
          },
        }),
      ),
    onClose,
  );
  return (
    <FormDialog
      title={`Change ${subscription.name}`}
      act="Change it"
      change={change}
      ready={from !== UNFINISHED}
      onClose={onClose}
    >
      <Row>
        <DayPicker label="From" value={from} onChange={setFrom} width={175} />
        {plan && (
          <Select
            label="Tier"
            value={tier}
            width={200}
            options={plan.tiers.map((each) => [each.tier, each.name] as const)}
            onChange={setTier}
          />
        )}
        <Line label="How many" value={quantity} onChange={setQuantity} width={100} />
      </Row>
      <FormControlLabel
        control={<Checkbox checked={paused} onChange={(event) => setPaused(event.target.checked)} />}
        label="Pauses: no fees and no allowances; what is used is still charged"
      />
      {newest > subscription.plan_version && (
        <FormControlLabel
          control={<Checkbox checked={moves} onChange={(event) => setMoves(event.target.checked)} />}
          label={
            `Move it from version ${subscription.plan_version} of the plan to version ${newest}` +
            (plan?.terms ? `, whose terms ${plan.terms.version} are accepted` : '')
          }
        />
      )}
      {plan && <Choices plan={plan} chosen={{ ...held?.choices, ...choices }} onChange={setChoices} />}
      <Box sx={{ fontSize: '0.84rem', color: 'text.secondary' }}>
        What is billed already is settled on the next document, part by part.
      </Box>
    </FormDialog>
  );
}

export function EndDialog({ subscription, onClose }: Omit<Props, 'today'>) {
  const [day, setDay] = useState(addDays(subscription.ends_on ?? subscription.earliest_end, -1));
  const end = useSubscriptionChange(
    async () =>
      body(
        await api.PATCH('/api/v1/subscriptions/{subscription_id}', {
          params: { path: { subscription_id: subscription.id } },
          body: { ends_on: day ? addDays(day, 1) : null, version: subscription.version },
        }),
      ),
    onClose,
  );
  return (
    <FormDialog
      title={`End ${subscription.name}`}
      act={day ? 'End it' : 'Let it go on'}
      change={end}
      ready={day !== UNFINISHED}
      onClose={onClose}
    >
      <DayPicker label="Last day" value={day} onChange={setDay} width={175} optional />
      <Box sx={{ fontSize: '0.84rem', color: 'text.secondary' }}>
        The earliest is {addDays(subscription.earliest_end, -1)}
        {subscription.notice_by && `, if notice is given by ${subscription.notice_by}`}. Leave it empty to let
        the subscription go on.
      </Box>
    </FormDialog>
  );
}

export function SpecialTermsDialog({ subscription, today, onClose }: Props) {
  const { home } = useSignedIn();
  const cards = useQuery(rateCardsOptions);
  const last = subscription.stretches[subscription.stretches.length - 1];
  const before = (last?.special_terms ?? {}) as Record<string, Record<string, string>>;
  const [from, setFrom] = useState(today);
  const [card, setCard] = useState('as is');
  const [allowances, setAllowances] = useState(before.allowances ?? {});
  const [levels, setLevels] = useState(before.levels ?? {});
  const own = Object.fromEntries(
    Object.entries({ allowances, levels }).filter(([, value]) => Object.keys(value).length),
  );
  const agree = useSubscriptionChange(
    async () =>
      body(
        await api.POST('/api/v1/subscriptions/{subscription_id}/special-terms', {
          params: { path: { subscription_id: subscription.id } },
          body: {
            seller: home.organisation,
            starts_on: from,
            rate_card: card === 'as is' ? null : card === 'by rule' ? '' : card,
            special_terms: own,
            version: subscription.version,
          },
        }),
      ),
    onClose,
  );
  return (
    <FormDialog
      title={`Special terms of ${subscription.name}`}
      act="Save"
      change={agree}
      ready={from !== UNFINISHED}
      onClose={onClose}
    >
      <Row>
        <DayPicker label="From" value={from} onChange={setFrom} width={175} />
        <Select
          label="Rate card"
          value={card}
          width={260}
          onChange={setCard}
          options={[
            ['as is', 'as it is'],
            ['by rule', 'the one by your rules'],
            ...(cards.data ?? [])
              .filter((each) => each.seller === home.organisation)
              .map((each) => [each.slug, each.name] as const),
          ]}
        />
      </Row>
      <Pairs
        title="Allowances instead of the tier's"
        adds="own allowance"
        value={allowances}
        onChange={setAllowances}
        nameLabel="Meter"
        valueLabel="like 10 GiB"
      />
      <Pairs
        title="Service levels instead of the tier's"
        adds="own level"
        value={levels}
        onChange={setLevels}
        nameLabel="Level"
        valueLabel="like 24 hour"
      />
    </FormDialog>
  );
}
