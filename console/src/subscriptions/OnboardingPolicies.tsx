/** Up to how much comes on board in a month without another administrator: fees by currency, limits by measure. */
import { Box, Button } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useWatch } from 'react-hook-form';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import { type Measure, unitOfMeasure, useMeasures } from '../organisations/measures';
import { measureName, organisationOptions } from '../organisations/organisations';
import { api, body } from '../shared/api';
import { formatMoney, formatQuantity } from '../shared/decimal';
import { EntryDialog, TextInput, decimal } from '../shared/form';
import { Section } from '../shared/Page';
import { useToast } from '../shared/Toasts';
import { formatUnit } from '../shared/units';
import { currencies } from '../shared/world';
import { type OnboardingPolicy, onboardingPoliciesOptions } from './onboardings';

export function OnboardingPolicies({ seller }: { seller: { organisation: string } }) {
  const { mayAt } = useSignedIn();
  const queries = useQueryClient();
  const say = useToast();
  const policies = useQuery(onboardingPoliciesOptions(seller.organisation));
  const own = useQuery(organisationOptions(seller.organisation));
  const measures = useMeasures();
  const [adding, setAdding] = useState(false);
  if (!policies.data || !own.data) return null;
  const changes = mayAt('manage organisations', seller.organisation);
  const set = async (policy: OnboardingPolicy) => {
    body(
      await api.PUT('/api/v1/organisations/{organisation}/onboarding-policies', {
        params: { path: { organisation: seller.organisation } },
        body: policy,
      }),
    );
    await queries.invalidateQueries({ queryKey: ['onboarding policies'] });
    say(
      policy.amount === null
        ? `${named(policy.subject)}: no bound any more.`
        : `${policyWords(measures, policy)}.`,
    );
  };
  return (
    <Section title="What another administrator approves">
      <Box component="ul" sx={{ m: 0, p: 0, listStyle: 'none', fontSize: '0.9rem', maxWidth: 640 }}>
        {policies.data.map((each) => (
          <Box component="li" key={each.subject} sx={{ display: 'flex', alignItems: 'center', gap: 2 }}>
            <Box sx={{ flex: 1 }}>{policyWords(measures, each)}</Box>
            {changes && (
              <Button
                aria-label={`Take the bound of ${named(each.subject)} away`}
                onClick={() => void set({ ...each, amount: null })}
              >
                Take away
              </Button>
            )}
          </Box>
        ))}
        {!policies.data.length && (
          <li>Nothing: administrators bring customers on board alone. Others ask them.</li>
        )}
      </Box>
      {changes && (
        <Button sx={{ mt: 1 }} onClick={() => setAdding(true)}>
          Set a bound
        </Button>
      )}
      {adding && <BoundDialog currency={own.data.currency} save={set} onClose={() => setAdding(false)} />}
    </Section>
  );
}

/** Currencies are three capitals, measures are small. */
const isMeasure = (subject: string): boolean => /^[a-z]/.test(subject);
const named = (subject: string): string => (isMeasure(subject) ? measureName(subject) : subject);

/** A bound in words. */
export function policyWords(measures: Measure[], { subject, amount }: OnboardingPolicy): string {
  const most = amount ?? '0';
  if (!isMeasure(subject)) return `More than ${formatMoney(most, subject)} ${subject} of fees a month`;
  const unit = unitOfMeasure(measures, subject);
  return `${measureName(subject)}: limits of more than ${formatQuantity(most)} ${formatUnit(unit, most)} in a month`;
}

const schema = z.object({ subject: z.string(), amount: decimal() });

function BoundDialog(props: {
  currency: string;
  save: (policy: OnboardingPolicy) => Promise<void>;
  onClose: () => void;
}) {
  const { currency, save, onClose } = props;
  const measures = useMeasures();
  return (
    <EntryDialog
      title="What another administrator approves"
      act="Set the bound"
      schema={schema}
      initial={{ subject: currency, amount: '' }}
      save={({ subject, amount }) => save({ subject, amount: amount.trim() })}
      onClose={onClose}
    >
      <TextInput
        name="subject"
        label="Of"
        columns={4}
        options={[
          ...currencies()
            .toSorted((one, other) => Number(one[0] !== currency) - Number(other[0] !== currency))
            .map(([code, name]) => [code, `Fees in ${name}`] as const),
          ...measures.map((each) => [each.measure, `Limits: ${measureName(each.measure)}`] as const),
        ]}
      />
      <Amount />
    </EntryDialog>
  );
}

function Amount() {
  const subject = useWatch({ name: 'subject' }) as string;
  const measures = useMeasures();
  const unit = isMeasure(subject) ? formatUnit(unitOfMeasure(measures, subject), '2') : subject;
  return (
    <TextInput
      name="amount"
      label="More than"
      unit={unit}
      columns={2}
      hint="In a month, all new customers together"
    />
  );
}
