/** Brings a customer on board: a reseller or a tenant under a seller. */
import { useQueryClient } from '@tanstack/react-query';
import { useNavigate } from 'react-router';
import * as z from 'zod/mini';
import { api, body } from '../shared/api';
import { EntryDialog, TextInput, given, slug } from '../shared/form';
import { Names } from '../shared/Names';
import { PickInput } from '../shared/PickInput';
import { countries, currencies, zones } from '../shared/world';
import { type Organisation, TYPES } from './organisations';

const schema = z.object({
  name: given('The name that people read'),
  slug,
  type: z.enum(['tenant', 'reseller']),
  country: given('The country where it is taxed'),
  currency: given('The currency of its invoices'),
  billing_zone: given('Where its months begin and end'),
  cost_centre: z.string(),
  segment: z.string(),
});

export function OrganisationDialog({ parent, onClose }: { parent: Organisation; onClose: () => void }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const save = async (values: z.infer<typeof schema>) => {
    const { cost_centre, segment, ...rest } = values;
    const made = body(
      await api.POST('/api/v1/organisations', {
        body: { ...rest, parent: parent.slug, cost_centre: cost_centre || null, segment: segment || null },
      }),
    );
    await queries.invalidateQueries({ queryKey: ['organisations'] });
    void navigate(`/organisations/${made.slug}`);
  };
  return (
    <EntryDialog
      title={`A new customer of ${parent.name}`}
      act="Add the customer"
      schema={schema}
      initial={{
        name: '',
        slug: '',
        type: 'tenant' as const,
        country: parent.country,
        currency: parent.currency,
        billing_zone: parent.billing_zone,
        cost_centre: '',
        segment: '',
      }}
      save={save}
      onClose={onClose}
    >
      <Names hint="In addresses, files and the command line; cannot be changed later" />
      <TextInput name="type" label="Type" columns={3} options={TYPES} />
      <PickInput name="country" label="Country" columns={3} options={countries()} />
      <PickInput name="currency" label="Billed in" columns={3} options={currencies()} />
      <PickInput name="billing_zone" label="Billing zone" columns={3} options={zones()} />
      <TextInput
        name="segment"
        label="Segment"
        columns={3}
        optional
        hint="Your word for the kind of customer"
      />
      <TextInput name="cost_centre" label="Cost centre" columns={3} optional />
    </EntryDialog>
  );
}
