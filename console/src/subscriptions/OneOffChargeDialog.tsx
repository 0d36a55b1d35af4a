/** Charge an amount by hand on one of an organisation's subscriptions. */
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useWatch } from 'react-hook-form';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import type { Organisation } from '../organisations/organisations';
import { api } from '../shared/api';
import { DateInput } from '../shared/DateInput';
import { EntryDialog, Remark, TextInput, day, decimal, given } from '../shared/form';
import { PickInput } from '../shared/PickInput';
import { currencies } from '../shared/world';
import type { Subscription } from './subscriptions';

const schema = z.object({
  description: given('What it is for, as it stands on the document'),
  amount: decimal('An amount above zero, as in 240 or 19.50'),
  currency: given('The currency of the amount'),
  day: day('The day on which it counts'),
  subscription: given('The subscription with which it stands'),
});

export function OneOffChargeDialog({
  organisation,
  subscriptions,
  today,
  onClose,
}: {
  organisation: Organisation;
  subscriptions: Subscription[];
  today: string;
  onClose: () => void;
}) {
  const { home } = useSignedIn();
  const queries = useQueryClient();
  const [key] = useState(() => crypto.randomUUID());
  return (
    <EntryDialog
      title={`Charge ${organisation.name} by hand`}
      act={<Charging />}
      schema={schema}
      initial={{
        description: '',
        amount: '',
        currency: organisation.currency,
        day: today,
        subscription: subscriptions[0]?.name ?? '',
      }}
      save={async (values) => {
        await api.POST('/api/v1/one-off-charges', {
          // Asked again after a failure it is the same charge; with another amount or day it is another.
          params: { header: { 'idempotency-key': `${key}-${values.amount}-${values.day}` } },
          body: { seller: home.organisation, organisation: organisation.slug, ...values },
        });
        await queries.invalidateQueries();
      }}
      onClose={onClose}
    >
      <TextInput name="description" label="For what" />
      <TextInput name="amount" label="Amount, net" columns={2} />
      <PickInput name="currency" label="Currency" columns={2} options={currencies()} />
      <DateInput name="day" label="On the day" columns={2} />
      <TextInput
        name="subscription"
        label="With the subscription"
        options={subscriptions.map((each) => [each.name, each.name] as const)}
      />
      <Remark>
        It goes on the next document, untouched by discounts. It can be withdrawn; what is billed of it then
        comes back.
      </Remark>
    </EntryDialog>
  );
}

/** What the button does, with the amount. */
function Charging() {
  const [amount, currency] = useWatch({ name: ['amount', 'currency'] }) as [string, string];
  return <>{amount ? `Charge ${amount} ${currency}` : 'Charge'}</>;
}
