/** Invite one address; the link is shown once, to be handed over. */
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import * as z from 'zod/mini';
import { ServicesInput } from '../shared/ServicesInput';
import { api, body } from '../shared/api';
import { EntryDialog, TextInput, address } from '../shared/form';
import { OnceDialog } from './OnceShown';
import { type Invitation, ROLE_CHOICES, type Role, linkOf } from './members';

const schema = z.object({ email: address, role: z.string(), services: z.nullable(z.array(z.string())) });

export function InviteDialog({
  organisation,
  name,
  first,
  onClose,
}: {
  organisation: string;
  name: string;
  /** Only the first one is invited from above. */
  first?: boolean;
  onClose: () => void;
}) {
  const queries = useQueryClient();
  const [invited, setInvited] = useState<Invitation>();
  if (invited)
    return (
      <OnceDialog
        title={`${invited.email} is invited`}
        secret={linkOf('join', invited.secret ?? '')}
        onClose={onClose}
      >
        {`A mail with this link is on its way to ${invited.email}; you can hand it over too. It lasts seven days.`}
      </OnceDialog>
    );
  return (
    <EntryDialog
      title={first ? `Invite the first administrator of ${name}` : `Invite to ${name}`}
      act="Send the invitation"
      schema={schema}
      initial={{ email: '', role: first ? 'administrator' : 'viewer', services: null as string[] | null }}
      save={async ({ email, role, services }) => {
        const made = body(
          await api.POST('/api/v1/organisations/{organisation}/invitations', {
            params: { path: { organisation } },
            body: { email, role: role as Role },
          }),
        );
        if (services)
          await api.PUT('/api/v1/invitations/{invitation_id}/services', {
            params: { path: { invitation_id: made.id } },
            body: { services },
          });
        setInvited(made);
        await queries.invalidateQueries({ queryKey: ['invitations'] });
      }}
      stays
      onClose={onClose}
    >
      <TextInput
        name="email"
        label="E-mail address"
        type="email"
        hint="Only whoever has this address can accept."
      />
      {!first && <TextInput name="role" label="Role" options={ROLE_CHOICES} />}
      {!first && <ServicesInput name="services" />}
    </EntryDialog>
  );
}
