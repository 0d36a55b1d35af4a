/** Up to which amount a month a seller's customers order without its approval. */
import { Box, Button } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useWatch } from 'react-hook-form';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import { organisationsOptions } from '../organisations/organisations';
import { api, body } from '../shared/api';
import { formatMoney } from '../shared/decimal';
import { CheckInput, EntryDialog, TextInput } from '../shared/form';
import { Section } from '../shared/Page';
import { useToast } from '../shared/Toasts';
import { orderPoliciesOptions } from './orders';

export function OrderPolicies({ seller }: { seller: string }) {
  const { may } = useSignedIn();
  const policies = useQuery(orderPoliciesOptions(seller));
  const customers = useQuery(organisationsOptions({ parent: seller, limit: 100 })).data?.items ?? [];
  const [currency, setCurrency] = useState<string | null>(null);
  if (!policies.data) return null;
  const known = new Map(policies.data.map((each) => [each.currency, each.amount]));
  const currencies = [...new Set([...known.keys(), ...customers.map((each) => each.currency)])].sort();
  if (!currencies.length) return null;
  return (
    <Section title="What your customers order without your approval">
      <Box
        component="ul"
        sx={{ m: 0, p: 0, listStyle: 'none', display: 'grid', gap: 0.5, fontSize: '0.9rem', maxWidth: 560 }}
      >
        {currencies.map((each) => (
          <Box component="li" key={each} sx={{ display: 'flex', alignItems: 'center', gap: 2 }}>
            <Box sx={{ flex: 1 }}>{policyWords(each, known.get(each))}</Box>
            {may('manage subscriptions') && (
              <Button onClick={() => setCurrency(each)} aria-label={`Change what is ordered in ${each}`}>
                Change
              </Button>
            )}
          </Box>
        ))}
      </Box>
      {currency && (
        <PolicyDialog
          seller={seller}
          currency={currency}
          amount={known.has(currency) ? (known.get(currency) ?? null) : '0'}
          onClose={() => setCurrency(null)}
        />
      )}
    </Section>
  );
}

/** A policy in words; undefined is none. */
export function policyWords(currency: string, amount: string | null | undefined): string {
  if (amount === null) return `Billed in ${currency}: any amount`;
  if (amount === undefined || Number(amount) === 0)
    return `Billed in ${currency}: nothing; every order waits for you`;
  return `Billed in ${currency}: up to ${formatMoney(amount, currency)} ${currency} more a month`;
}

const schema = z.object({ any: z.boolean(), amount: z.string() }).check(
  z.refine(({ any, amount }) => any || /^\d+(\.\d+)?$/.test(amount.trim()), {
    path: ['amount'],
    error: 'A number, as in 250; 0 lets every order wait',
  }),
);

function PolicyDialog(props: {
  seller: string;
  currency: string;
  amount: string | null;
  onClose: () => void;
}) {
  const { seller, currency, amount, onClose } = props;
  const queries = useQueryClient();
  const say = useToast();
  const save = async (values: { any: boolean; amount: string }) => {
    const made = body(
      await api.PUT('/api/v1/organisations/{organisation}/order-policies', {
        params: { path: { organisation: seller } },
        body: { currency, amount: values.any ? null : values.amount.trim() },
      }),
    );
    await queries.invalidateQueries({ queryKey: ['order policies', seller] });
    say(`${policyWords(currency, made.amount)}.`);
  };
  return (
    <EntryDialog
      title={`Orders of customers billed in ${currency}`}
      act="Save"
      schema={schema}
      initial={{ any: amount === null, amount: amount ?? '0' }}
      save={save}
      onClose={onClose}
    >
      <Amount currency={currency} />
      <CheckInput name="any" label="Any amount goes through at once" />
    </EntryDialog>
  );
}

function Amount({ currency }: { currency: string }) {
  const any = useWatch({ name: 'any' }) as boolean;
  if (any) return null;
  return (
    <TextInput
      name="amount"
      label="At once up to"
      unit={`${currency} more a month`}
      optional
      hint="What a customer ordered earlier in the month counts"
    />
  );
}
