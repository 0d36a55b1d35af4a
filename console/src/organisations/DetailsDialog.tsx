/** Who an organisation is on paper: what stands on its documents, and whom they are for. */
import { Box, Button, IconButton, TextField } from '@mui/material';
import { useQueryClient } from '@tanstack/react-query';
import * as z from 'zod/mini';
import { api, body } from '../shared/api';
import { EntryDialog, OwnInput, TextInput } from '../shared/form';
import type { Details } from './details';

const text = z.string();
const schema = z.object({
  legal_name: text,
  registration: text,
  tax_id: text,
  street: text,
  postal_code: text,
  town: text,
  region: text,
  email: text,
  phone: text,
  language: text,
  billing_contacts: z.array(z.object({ name: text, email: text })),
});
type Values = z.infer<typeof schema>;
type Contacts = Values['billing_contacts'];
const TEXTS = Object.keys(schema.shape).filter((name) => name !== 'billing_contacts') as Exclude<
  keyof Values,
  'billing_contacts'
>[];

export function DetailsDialog({ details, onClose }: { details: Details; onClose: () => void }) {
  const queries = useQueryClient();
  const save = async (values: Values) => {
    body(
      await api.PUT('/api/v1/organisations/{organisation}/details', {
        params: { path: { organisation: details.organisation } },
        body: {
          ...Object.fromEntries(TEXTS.map((name) => [name, values[name].trim() || null])),
          billing_contacts: values.billing_contacts.filter((each) => each.name.trim() || each.email.trim()),
          version: details.version,
        },
      }),
    );
    await queries.invalidateQueries({ queryKey: ['organisations', details.organisation] });
  };
  return (
    <EntryDialog
      title={`Details of ${details.organisation_name}`}
      act="Save"
      schema={schema}
      initial={{
        ...(Object.fromEntries(TEXTS.map((name) => [name, details[name] ?? ''])) as Omit<
          Values,
          'billing_contacts'
        >),
        billing_contacts: details.billing_contacts,
      }}
      save={save}
      changes
      onClose={onClose}
    >
      <TextInput name="legal_name" label="Legal name" optional hint="As in the register of companies" />
      <TextInput name="tax_id" label="Tax number" columns={3} optional />
      <TextInput name="registration" label="Register number" columns={3} optional />
      <TextInput name="street" label="Street" optional lines={2} hint="Up to three lines above the town" />
      <TextInput name="postal_code" label="Postal code" columns={2} optional />
      <TextInput name="town" label="Town" columns={2} optional />
      <TextInput name="region" label="Region" columns={2} optional />
      <TextInput name="email" label="E-mail address" columns={3} optional />
      <TextInput name="phone" label="Telephone" columns={3} optional />
      <TextInput name="language" label="Language" columns={3} optional hint="Like en or fr-BE" />
      <OwnInput<Contacts> name="billing_contacts">
        {(contacts, onChange) => <ContactsInput contacts={contacts} onChange={onChange} />}
      </OwnInput>
    </EntryDialog>
  );
}

function ContactsInput({
  contacts,
  onChange,
}: {
  contacts: Contacts;
  onChange: (contacts: Contacts) => void;
}) {
  const change = (place: number, changed: Partial<Contacts[number]>) =>
    onChange(contacts.map((each, index) => (index === place ? { ...each, ...changed } : each)));
  return (
    <Box role="group" aria-label="Billing contacts" sx={{ display: 'grid', gap: 1.5 }}>
      <Box sx={{ fontSize: '0.84rem', color: 'text.secondary' }}>
        Whom its documents are for, users here or not
      </Box>
      {contacts.map((contact, place) => (
        <Box key={place} sx={{ display: 'grid', gridTemplateColumns: '1fr 1fr auto', gap: 1 }}>
          <TextField
            label="Name"
            value={contact.name}
            onChange={(event) => change(place, { name: event.target.value })}
          />
          <TextField
            label="Address"
            value={contact.email}
            onChange={(event) => change(place, { email: event.target.value })}
          />
          <IconButton
            aria-label={`Remove ${contact.name || 'this contact'}`}
            onClick={() => onChange(contacts.filter((_, index) => index !== place))}
          >
            ×
          </IconButton>
        </Box>
      ))}
      <Button sx={{ justifySelf: 'start' }} onClick={() => onChange([...contacts, { name: '', email: '' }])}>
        Add a billing contact
      </Button>
    </Box>
  );
}
