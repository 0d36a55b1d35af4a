/** What a customer orders of a subscription that it has: another tier or quantity, or its end. */
import { useQuery, useQueryClient } from '@tanstack/react-query';
import * as z from 'zod/mini';
import { type PlanForm, plansOptions } from '../catalogue/catalogue';
import { addDays } from '../shared/dates';
import { DateInput } from '../shared/DateInput';
import { EntryDialog, Remark, TextInput, day, whole } from '../shared/form';
import { useToast } from '../shared/Toasts';
import { becameOf, placeOrder } from './orders';
import { type Subscription, boundWords } from './subscriptions';

interface Props {
  subscription: Subscription;
  today: string;
  onClose: () => void;
}

const changed = z.object({
  day: day('The day from which it holds'),
  tier: z.string(),
  quantity: whole,
  purchase_order: z.string(),
  reason: z.string(),
});

export function OrderChangeDialog({ subscription, today, onClose }: Props) {
  const queries = useQueryClient();
  const say = useToast();
  const plans = useQuery(plansOptions);
  const plan = plans.data?.find((each) => each.slug === subscription.plan)?.form as PlanForm | undefined;
  const initial = {
    day: today,
    tier: subscription.tier ?? '',
    quantity: String(subscription.quantity),
    purchase_order: '',
    reason: '',
  };
  const save = async (values: typeof initial) => {
    const made = await placeOrder(subscription.organisation, {
      kind: 'change',
      subscription: subscription.id,
      day: values.day,
      tier: values.tier === initial.tier ? null : values.tier,
      quantity: values.quantity === initial.quantity ? null : Number(values.quantity),
      purchase_order: values.purchase_order.trim() || null,
      reason: values.reason.trim() || null,
    });
    await queries.invalidateQueries();
    say(becameOf(made));
  };
  return (
    <EntryDialog
      title={`Order a change of ${subscription.name}`}
      act="Order it"
      schema={changed}
      initial={initial}
      save={save}
      onClose={onClose}
    >
      <DateInput name="day" label="From" columns={2} />
      {plan && (
        <TextInput
          name="tier"
          label="Tier"
          columns={2}
          options={plan.tiers.map((each) => [each.tier, each.name] as const)}
        />
      )}
      <TextInput name="quantity" label="How many" columns={2} />
      <TextInput name="purchase_order" label="Your order number" columns={2} optional />
      <TextInput name="reason" label="Why" columns={4} optional hint="Read by who approves it" />
    </EntryDialog>
  );
}

const ended = z.object({ last_day: day('The last day that it covers') });

export function OrderEndDialog({ subscription, today, onClose }: Props) {
  const queries = useQueryClient();
  const say = useToast();
  const earliest = addDays(subscription.earliest_end, -1);
  const bound = boundWords(subscription, today);
  return (
    <EntryDialog
      title={`End ${subscription.name}`}
      act="End it"
      schema={ended}
      initial={{ last_day: bound ? earliest : today }}
      save={async ({ last_day: last }) => {
        const made = await placeOrder(subscription.organisation, {
          kind: 'end',
          subscription: subscription.id,
          day: addDays(last, 1),
        });
        await queries.invalidateQueries();
        say(becameOf(made));
      }}
      onClose={onClose}
    >
      <DateInput name="last_day" label="Last day" columns={3} />
      <Remark>{bound ?? 'It may end on any day from today on.'}</Remark>
    </EntryDialog>
  );
}
