/** Make a token; it is shown once. */
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useWatch } from 'react-hook-form';
import * as z from 'zod/mini';
import { api, body } from '../shared/api';
import { EntryDialog, TextInput, given } from '../shared/form';
import { OnceDialog } from './OnceShown';
import { ROLES, ROLE_CHOICES, type Role, type Token } from './members';
import { type Session, useSignedIn } from './session';

const schema = z.object({
  name: given('What this program is called'),
  organisation: z.string(),
  role: z.string(),
  days: z.string().check(z.regex(/^[1-9]\d{0,3}$/, 'A whole number of days')),
});

export function TokenDialog({ onClose }: { onClose: () => void }) {
  const { session, home } = useSignedIn();
  const queries = useQueryClient();
  const [made, setMade] = useState<Token>();
  if (made)
    return (
      <OnceDialog title={made.name} secret={made.secret ?? ''} onClose={onClose}>
        {`Give this key to the program; it lasts until ${made.expires_at.slice(0, 10)}.`}
      </OnceDialog>
    );
  return (
    <EntryDialog
      title="Make a token"
      act="Make it"
      schema={schema}
      initial={{ name: '', organisation: home.organisation, role: 'sender', days: '90' }}
      save={async ({ days, role, ...rest }) => {
        const answer = await api.POST('/api/v1/tokens', {
          body: { ...rest, role: role as Role, days: Number(days) },
        });
        setMade(body(answer));
        await queries.invalidateQueries({ queryKey: ['tokens'] });
      }}
      stays
      onClose={onClose}
    >
      <TextInput name="name" label="Name" />
      {session.memberships.length > 1 && (
        <TextInput
          name="organisation"
          label="For"
          options={session.memberships.map((each) => [each.organisation, each.name] as const)}
        />
      )}
      <AtMost memberships={session.memberships} />
      <TextInput name="days" label="Days" columns={2} />
    </EntryDialog>
  );
}

/** A program can do no more than who makes its token. */
function AtMost({ memberships }: { memberships: Session['memberships'] }) {
  const organisation = useWatch({ name: 'organisation' }) as string;
  const own = memberships.find((each) => each.organisation === organisation)?.role ?? 'sender';
  const first = ROLES.findIndex((each) => each.role === own);
  return <TextInput name="role" label="Role, at most" columns={4} options={ROLE_CHOICES.slice(first)} />;
}
