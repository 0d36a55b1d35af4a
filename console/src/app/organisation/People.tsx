/** Who acts for an organisation; of others one sees nobody, and may invite the first. */
import { Button } from '@mui/material';
import { useState } from 'react';
import { InviteDialog } from '../../access/InviteDialog';
import MembersPage from '../../access/MembersPage';
import { useSignedIn } from '../../access/session';
import type { Organisation } from '../../organisations/organisations';
import { Empty } from '../../shared/States';

export function People({ organisation }: { organisation: Organisation }) {
  const { may, mayAt } = useSignedIn();
  const [inviting, setInviting] = useState(false);
  if (mayAt('read', organisation.slug)) return <MembersPage />;
  return (
    <>
      <Empty title="Its people are its own">
        <p>They invite each other; the first one is invited from above.</p>
        {may('manage organisations') && (
          <Button variant="outlined" onClick={() => setInviting(true)}>
            Invite its first administrator
          </Button>
        )}
      </Empty>
      {inviting && (
        <InviteDialog
          organisation={organisation.slug}
          name={organisation.name}
          first
          onClose={() => setInviting(false)}
        />
      )}
    </>
  );
}
