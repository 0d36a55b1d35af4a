/** Change a subscription from a day on, or end it; what one customer has of its own is changed here too. */
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useWatch } from 'react-hook-form';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import {
  type PlanForm,
  type ServiceForm,
  plansOptions,
  rateCardsOptions,
  servicesOptions,
} from '../catalogue/catalogue';
import { Pairs } from '../catalogue/fields';
import { metersOf } from '../catalogue/offered';
import { api, body } from '../shared/api';
import { addDays, dayName } from '../shared/dates';
import { DateInput } from '../shared/DateInput';
import {
  CheckInput,
  EntryDialog,
  OwnInput,
  Remark,
  TextInput,
  day,
  optionalDay,
  whole,
} from '../shared/form';
import { useToast } from '../shared/Toasts';
import { Choices } from './Choices';
import { type Subscription, boundWords } from './subscriptions';

interface Props {
  subscription: Subscription;
  today: string;
  onClose: () => void;
}

const words = z.record(z.string(), z.string());
const FROM = day('The day from which it holds');
const changed = z.object({
  starts_on: FROM,
  tier: z.string(),
  quantity: whole,
  paused: z.boolean(),
  moves: z.boolean(),
  choices: words,
});

export function ChangeDialog({ subscription, today, onClose }: Props) {
  const queries = useQueryClient();
  const plans = useQuery(plansOptions);
  const held = subscription.stretches.filter((each) => each.starts_on <= today).pop();
  const found = plans.data?.find((each) => each.slug === subscription.plan);
  const plan = found?.form as PlanForm | undefined;
  const newest = found?.version ?? subscription.plan_version;
  const initial = {
    starts_on: today,
    tier: subscription.tier ?? '',
    quantity: String(subscription.quantity),
    paused: held?.paused ?? false,
    moves: false,
    choices: {} as Record<string, string>,
  };
  const save = async ({ starts_on, tier, quantity, paused, moves, choices }: typeof initial) => {
    await api.POST('/api/v1/subscriptions/{subscription_id}/change', {
      params: { path: { subscription_id: subscription.id } },
      body: {
        starts_on,
        tier: tier === initial.tier ? null : tier,
        quantity: Number(quantity) === subscription.quantity ? null : Number(quantity),
        paused: paused === initial.paused ? null : paused,
        plan_version: moves ? newest : null,
        choices: Object.keys(choices).length ? choices : null,
        accepted_terms: moves ? (plan?.terms?.version ?? null) : null,
        version: subscription.version,
      },
    });
    await queries.invalidateQueries();
  };
  return (
    <EntryDialog
      title={`Change ${subscription.name}`}
      act="Change it"
      schema={changed}
      initial={initial}
      save={save}
      onClose={onClose}
    >
      <DateInput name="starts_on" label="From" columns={2} />
      {plan && (
        <TextInput
          name="tier"
          label="Tier"
          columns={2}
          options={plan.tiers.map((each) => [each.tier, each.name] as const)}
        />
      )}
      <TextInput name="quantity" label="How many" columns={2} />
      <CheckInput name="paused" label="Pauses: no fees and no allowances; what is used is still charged" />
      {newest > subscription.plan_version && (
        <CheckInput
          name="moves"
          label={
            `Move it from version ${subscription.plan_version} of the plan to version ${newest}` +
            (plan?.terms ? `, whose terms ${plan.terms.version} are accepted` : '')
          }
        />
      )}
      {plan && (
        <OwnInput<Record<string, string>> name="choices">
          {(value, onChange) => (
            <Choices plan={plan} chosen={{ ...held?.choices, ...value }} onChange={onChange} />
          )}
        </OwnInput>
      )}
      <Remark>What is billed already is settled on the next document, part by part.</Remark>
    </EntryDialog>
  );
}

export function EndDialog({ subscription, today, onClose }: Props) {
  const queries = useQueryClient();
  const say = useToast();
  const earliest = addDays(subscription.earliest_end, -1);
  // A day that is over can be chosen; it is not what somebody means who just ends something.
  const bound = boundWords(subscription, today);
  const end = async (ends_on: string | null, version: number) =>
    body(
      await api.PATCH('/api/v1/subscriptions/{subscription_id}', {
        params: { path: { subscription_id: subscription.id } },
        body: { ends_on, version },
      }),
    );
  return (
    <EntryDialog
      title={`End ${subscription.name}`}
      act={<Ending />}
      schema={z.object({ last_day: optionalDay })}
      initial={{
        last_day: subscription.ends_on ? addDays(subscription.ends_on, -1) : bound ? earliest : today,
      }}
      save={async ({ last_day: last }) => {
        const changed = await end(last ? addDays(last, 1) : null, subscription.version);
        await queries.invalidateQueries();
        say(last ? `${subscription.name} ends with ${dayName(last)}.` : `${subscription.name} goes on.`, () =>
          end(subscription.ends_on, changed.version),
        );
      }}
      onClose={onClose}
    >
      <DateInput name="last_day" label="Last day" columns={3} optional />
      <Remark>
        {bound ?? 'A day that is over gives back, on the next document, what was charged for after it.'} Leave
        it empty to let the subscription go on.
      </Remark>
    </EntryDialog>
  );
}

/** What the button does, by whether there is a last day. */
function Ending() {
  return <>{useWatch({ name: 'last_day' }) ? 'End it' : 'Let it go on'}</>;
}

const agreed = z.object({ starts_on: FROM, rate_card: z.string(), allowances: words, levels: words });
const AS_IS = 'as is';
const BY_RULE = 'by rule';

export function SpecialTermsDialog({ subscription, today, onClose }: Props) {
  const { home } = useSignedIn();
  const queries = useQueryClient();
  const cards = useQuery(rateCardsOptions);
  const plans = useQuery(plansOptions);
  const services = useQuery(servicesOptions);
  const plan = plans.data?.find((each) => each.slug === subscription.plan)?.form as PlanForm | undefined;
  const meters = plan
    ? metersOf(
        plan,
        (services.data ?? []).map((each) => each.form as ServiceForm),
      )
    : [];
  const last = subscription.stretches[subscription.stretches.length - 1];
  const before = (last?.special_terms ?? {}) as Record<string, Record<string, string>>;
  const save = async ({ starts_on, rate_card: card, ...own }: z.infer<typeof agreed>) => {
    await api.POST('/api/v1/subscriptions/{subscription_id}/special-terms', {
      params: { path: { subscription_id: subscription.id } },
      body: {
        seller: home.organisation,
        starts_on,
        rate_card: card === AS_IS ? null : card === BY_RULE ? '' : card,
        special_terms: Object.fromEntries(
          Object.entries(own).filter(([, value]) => Object.keys(value).length),
        ),
        version: subscription.version,
      },
    });
    await queries.invalidateQueries();
  };
  return (
    <EntryDialog
      title={`Special terms of ${subscription.name}`}
      act="Save"
      schema={agreed}
      initial={{
        starts_on: today,
        rate_card: AS_IS,
        allowances: before.allowances ?? {},
        levels: before.levels ?? {},
      }}
      save={save}
      onClose={onClose}
    >
      <DateInput name="starts_on" label="From" columns={2} />
      <TextInput
        name="rate_card"
        label="Rate card"
        columns={4}
        options={[
          [AS_IS, 'as it is'],
          [BY_RULE, 'the one by your rules'],
          ...(cards.data ?? [])
            .filter((each) => each.seller === home.organisation)
            .map((each) => [each.slug, each.name] as const),
        ]}
      />
      <OwnInput<Record<string, string>> name="allowances">
        {(value, onChange) => (
          <Pairs
            title="Allowances instead of the tier's"
            adds="own allowance"
            value={value}
            onChange={onChange}
            nameLabel="Meter"
            valueLabel="like 10 GiB"
            options={meters.map((each) => each.key)}
          />
        )}
      </OwnInput>
      <OwnInput<Record<string, string>> name="levels">
        {(value, onChange) => (
          <Pairs
            title="Service levels instead of the tier's"
            adds="own level"
            value={value}
            onChange={onChange}
            nameLabel="Level"
            valueLabel="like 24 hour"
          />
        )}
      </OwnInput>
    </EntryDialog>
  );
}
