/** Invite one address; the link is shown once, to be handed over. */
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import * as z from 'zod/mini';
import { api, body } from '../shared/api';
import { EntryDialog, TextInput, address } from '../shared/form';
import { OnceDialog } from './OnceShown';
import { type Invitation, ROLE_CHOICES, type Role, linkOf } from './members';

const schema = z.object({ email: address, role: z.string() });

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
      initial={{ email: '', role: first ? 'administrator' : 'viewer' }}
      save={async ({ email, role }) => {
        const made = await api.POST('/api/v1/organisations/{organisation}/invitations', {
          params: { path: { organisation } },
          body: { email, role: role as Role },
        });
        setInvited(body(made));
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
    </EntryDialog>
  );
}
