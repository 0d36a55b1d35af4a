/** Charge an amount by hand on one of an organisation's subscriptions. */
import { Box } from '@mui/material';
import { useState } from 'react';
import { useSignedIn } from '../access/session';
import { Line, Row, Select } from '../catalogue/fields';
import type { Organisation } from '../organisations/organisations';
import { api, body } from '../shared/api';
import { DayPicker, UNFINISHED } from '../shared/DateInput';
import { FormDialog } from '../shared/FormDialog';
import { type Subscription, useSubscriptionChange } from './subscriptions';

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
  const [subscription, setSubscription] = useState(subscriptions[0]?.name ?? '');
  const [day, setDay] = useState(today);
  const [description, setDescription] = useState('');
  const [amount, setAmount] = useState('');
  const [currency, setCurrency] = useState(organisation.currency);
  const [key] = useState(() => crypto.randomUUID());
  const enter = useSubscriptionChange(
    async () =>
      body(
        await api.POST('/api/v1/one-off-charges', {
          params: { header: { 'idempotency-key': `${key}-${amount}-${day}` } },
          body: {
            seller: home.organisation,
            organisation: organisation.slug,
            subscription,
            day,
            description,
            amount,
            currency,
          },
        }),
      ),
    onClose,
  );
  return (
    <FormDialog
      title={`Charge ${organisation.name} by hand`}
      act={amount ? `Charge ${amount} ${currency}` : 'Charge'}
      change={enter}
      ready={Boolean(subscription && description && amount) && day !== UNFINISHED}
      onClose={onClose}
    >
      <Line label="For what" value={description} onChange={setDescription} width="100%" />
      <Row>
        <Line label="Amount, net" value={amount} onChange={setAmount} width={130} />
        <Line label="Currency" value={currency} onChange={setCurrency} width={100} />
        <DayPicker label="On the day" value={day} onChange={setDay} width={175} />
        <Select
          label="With the subscription"
          value={subscription}
          width={220}
          options={subscriptions.map((each) => each.name)}
          onChange={setSubscription}
        />
      </Row>
      <Box sx={{ fontSize: '0.84rem', color: 'text.secondary' }}>
        It goes on the next document, untouched by discounts. It can be withdrawn; what is billed of it then
        comes back.
      </Box>
    </FormDialog>
  );
}
