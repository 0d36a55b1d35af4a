/** Subscribes an organisation to a tier that was chosen, or orders it of its seller: for whom, from when, with what. */
import { Box } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useWatch } from 'react-hook-form';
import * as z from 'zod/mini';
import { type PlanForm, type ServiceForm, type Tier, servicesOptions } from '../catalogue/catalogue';
import { choicesOf } from '../catalogue/offered';
import { projectsOptions } from '../organisations/organisations';
import { api, body } from '../shared/api';
import { useToast } from '../shared/Toasts';
import { becameOf, placeOrder } from './orders';
import { addDays, dayName } from '../shared/dates';
import { DateInput } from '../shared/DateInput';
import { CheckInput, day, EntryDialog, given, optionalDay, TextInput, whole } from '../shared/form';

interface Props {
  organisation: { slug: string; name: string };
  /** It is ordered of the seller, by its own people. */
  orders?: boolean;
  plan: PlanForm;
  tier: Tier;
  quantity: string;
  from: string;
  onDone: () => void;
  onClose: () => void;
}

export function OrderDialog(props: Props) {
  const { organisation, orders, plan, tier, quantity, from, onDone, onClose } = props;
  const say = useToast();
  const queries = useQueryClient();
  const projects = useQuery(projectsOptions(organisation.slug));
  const services = useQuery(servicesOptions);
  const choices = choicesOf(
    plan,
    (services.data ?? []).map((each) => each.form as ServiceForm),
  );
  const { terms, trial } = plan;
  const schema = z
    .object({
      name: given('What this subscription is called'),
      quantity: whole,
      project: z.string(),
      starts_on: day('The day on which it begins'),
      last_day: optionalDay,
      on_trial: z.boolean(),
      chosen: z.record(z.string(), z.string()),
      accepted: z.boolean(),
      purchase_order: z.string(),
      reason: z.string(),
    })
    .check(
      z.refine(({ accepted }) => !terms || accepted, {
        path: ['accepted'],
        error: orders ? 'They have to be accepted' : 'The customer has to accept them',
      }),
      z.refine(({ last_day, starts_on }) => !last_day || last_day >= starts_on, {
        path: ['last_day'],
        error: 'Not before the day on which it begins',
      }),
    );
  const save = async (values: z.infer<typeof schema>) => {
    const trialEnds = values.on_trial && trial ? addDays(values.starts_on, Number(trial.days)) : null;
    const chosen = Object.fromEntries(Object.entries(values.chosen).filter(([, value]) => value));
    const { last_day: last } = values;
    if (orders) {
      const made = await placeOrder(organisation.slug, {
        kind: 'subscribe',
        day: values.starts_on,
        plan: plan.plan,
        tier: tier.tier,
        name: values.name,
        project: values.project || null,
        quantity: Number(values.quantity),
        choices: Object.keys(chosen).length ? chosen : null,
        accepted_terms: values.accepted ? (terms?.version ?? null) : null,
        purchase_order: values.purchase_order.trim() || null,
        reason: values.reason.trim() || null,
      });
      await queries.invalidateQueries();
      say(becameOf(made));
      onDone();
      return;
    }
    body(
      await api.POST('/api/v1/subscriptions', {
        body: {
          organisation: organisation.slug,
          project: values.project || null,
          plan: plan.plan,
          tier: tier.tier,
          name: values.name,
          quantity: Number(values.quantity),
          starts_on: values.starts_on,
          ends_on: last ? addDays(last, 1) : trialEnds && trial?.then === 'ends' ? trialEnds : null,
          rate_card: null,
          trial_until: trialEnds,
          choices: Object.keys(chosen).length ? chosen : null,
          accepted_terms: values.accepted ? (terms?.version ?? null) : null,
        },
      }),
    );
    await queries.invalidateQueries();
    onDone();
  };
  if (!services.data) return null;
  return (
    <EntryDialog
      title={`${plan.name} ${tier.name} for ${organisation.name}`}
      act={orders ? 'Order it' : 'Subscribe'}
      schema={schema}
      initial={{
        name: plan.name,
        quantity,
        project: '',
        starts_on: from,
        last_day: '',
        on_trial: false,
        chosen: Object.fromEntries(choices.map(([key]) => [key, ''])),
        accepted: false,
        purchase_order: '',
        reason: '',
      }}
      save={save}
      onClose={onClose}
    >
      <TextInput name="name" label="Its own name" columns={4} />
      <TextInput name="quantity" label="How many" columns={2} />
      <TextInput
        name="project"
        label="For"
        optional
        options={[
          ['', 'the whole organisation'],
          ...(projects.data ?? []).map((each) => [each.slug, each.name] as const),
        ]}
      />
      <DateInput name="starts_on" label="From" columns={3} />
      {orders ? (
        <TextInput name="purchase_order" label="Your order number" columns={3} optional />
      ) : (
        <DateInput name="last_day" label="Last day" columns={3} optional hint="Empty: it goes on" />
      )}
      {choices.map(([key, choice]) => (
        <TextInput
          key={key}
          name={`chosen.${key}`}
          label={choice.name}
          columns={3}
          optional
          options={[
            ['', `${choice.values[0]}, unless said`],
            ...choice.values.map((each) => [each, each] as const),
          ]}
        />
      ))}
      {orders && (
        <TextInput name="reason" label="Why" optional hint="Read by who approves it, where it has to wait" />
      )}
      {trial && !orders && <Trial days={Number(trial.days)} then={trial.then} />}
      {terms && (
        <Box sx={{ gridColumn: '1 / -1' }}>
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
            {terms.text}
          </Box>
          <CheckInput
            name="accepted"
            label={`${orders ? 'We accept' : 'The customer accepts'} terms ${terms.version}`}
          />
        </Box>
      )}
    </EntryDialog>
  );
}

function Trial({ days, then }: { days: number; then: string | undefined }) {
  const [from, trial] = useWatch({ name: ['starts_on', 'on_trial'] }) as [string, boolean];
  const until = from && addDays(from, days - 1);
  const after = then === 'ends' ? 'then it ends' : 'then it is charged';
  return (
    <Box sx={{ gridColumn: '1 / -1' }}>
      <CheckInput name="on_trial" label={`${days} days on trial first, free of charge`} />
      {trial && until && (
        <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>
          Free until and with {dayName(until)}; {after}.
        </Box>
      )}
    </Box>
  );
}
