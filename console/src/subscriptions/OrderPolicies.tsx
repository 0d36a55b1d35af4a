/** Up to which amount a month is ordered without approval: by customers, and by an organisation's own people. */
import { Box, Button } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useWatch } from 'react-hook-form';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import { type Organisation, organisationsOptions } from '../organisations/organisations';
import { api, body, type Schemas } from '../shared/api';
import { formatMoney } from '../shared/decimal';
import { CheckInput, EntryDialog, TextInput } from '../shared/form';
import { Section } from '../shared/Page';
import { useToast } from '../shared/Toasts';
import { orderPoliciesOptions } from './orders';

type Policy = Schemas['OrderPolicyBody'];

export function OrderPolicies({ organisation }: { organisation: Organisation }) {
  const { may } = useSignedIn();
  const { slug, type, currency } = organisation;
  const policies = useQuery(orderPoliciesOptions(slug));
  const customers = useQuery({
    ...organisationsOptions({ parent: slug, limit: 100 }),
    enabled: type !== 'tenant',
  });
  const [changing, setChanging] = useState<Policy | null>(null);
  if (!policies.data) return null;
  const known = policies.data;
  const find = (approver: Policy['approver'], of: string): Policy =>
    known.find((each) => each.approver === approver && each.currency === of) ?? {
      approver,
      currency: of,
      amount: approver === 'own' ? null : '0',
    };
  const billed = (customers.data?.items ?? []).map((each) => each.currency);
  const sold = known.filter((each) => each.approver === 'seller').map((each) => each.currency);
  const shown = [
    ...(type === 'provider' ? [] : [find('own', currency)]),
    ...[...new Set([...sold, ...billed])].sort().map((each) => find('seller', each)),
  ];
  if (!shown.length) return null;
  return (
    <Section title="What is ordered without approval">
      <Box
        component="ul"
        sx={{ m: 0, p: 0, listStyle: 'none', display: 'grid', gap: 0.5, fontSize: '0.9rem', maxWidth: 640 }}
      >
        {shown.map((each) => (
          <Box
            component="li"
            key={each.approver + each.currency}
            sx={{ display: 'flex', alignItems: 'center', gap: 2 }}
          >
            <Box sx={{ flex: 1 }}>{policyWords(each)}</Box>
            {may(each.approver === 'own' ? 'manage members' : 'manage subscriptions') && (
              <Button onClick={() => setChanging(each)} aria-label={`Change what ${who(each)} order`}>
                Change
              </Button>
            )}
          </Box>
        ))}
      </Box>
      {changing && <PolicyDialog organisation={slug} policy={changing} onClose={() => setChanging(null)} />}
    </Section>
  );
}

const who = ({ approver, currency }: Policy) =>
  approver === 'own' ? 'your own people' : `customers billed in ${currency}`;

/** A policy in words. */
export function policyWords(policy: Policy): string {
  const { amount, currency } = policy;
  const whose = who(policy).replace(/^./, (first) => first.toUpperCase());
  if (amount === null) return `${whose}: any amount`;
  const waits = policy.approver === 'own' ? 'an administrator' : 'you';
  if (Number(amount) === 0) return `${whose}: nothing; every order waits for ${waits}`;
  return `${whose}: up to ${formatMoney(amount, currency)} ${currency} more a month`;
}

const schema = z.object({ any: z.boolean(), amount: z.string() }).check(
  z.refine(({ any, amount }) => any || /^\d+(\.\d+)?$/.test(amount.trim()), {
    path: ['amount'],
    error: 'A number, as in 250; 0 lets every order wait',
  }),
);

function PolicyDialog(props: { organisation: string; policy: Policy; onClose: () => void }) {
  const { organisation, policy, onClose } = props;
  const queries = useQueryClient();
  const say = useToast();
  const save = async (values: { any: boolean; amount: string }) => {
    const made = body(
      await api.PUT('/api/v1/organisations/{organisation}/order-policies', {
        params: { path: { organisation } },
        body: { ...policy, amount: values.any ? null : values.amount.trim() },
      }),
    );
    await queries.invalidateQueries({ queryKey: ['order policies', organisation] });
    say(`${policyWords(made)}.`);
  };
  return (
    <EntryDialog
      title={`What ${who(policy)} order without approval`}
      act="Save"
      schema={schema}
      initial={{ any: policy.amount === null, amount: policy.amount ?? '0' }}
      save={save}
      onClose={onClose}
    >
      <Amount currency={policy.currency} />
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
      hint="What was ordered earlier in the month counts"
    />
  );
}
