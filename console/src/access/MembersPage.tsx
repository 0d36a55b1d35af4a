/** Who belongs to the organisation, and who is invited. */
import { Box, Button } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useSignedIn } from './session';
import { useServiceNames } from '../shared/services';
import { api } from '../shared/api';
import { DataTable, byText } from '../shared/DataTable';
import { momentName } from '../shared/dates';
import { Page, Section } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { Demanded } from './Demanded';
import { InviteDialog } from './InviteDialog';
import { MemberDialog } from './MemberDialog';
import { type Member, invitationsOptions, membersOptions } from './members';

export default function MembersPage() {
  const { home, mayAt } = useSignedIn();
  const members = useQuery(membersOptions(home.organisation));
  const names = useServiceNames();
  const [inviting, setInviting] = useState(false);
  const [chosen, setChosen] = useState<Member | null>(null);
  const manages = mayAt('manage members', home.organisation);
  return (
    <Page
      title="Members"
      lead={`Who acts for ${home.name}. Members invite each other; nobody joins from above.`}
      action={
        manages && (
          <Button variant="contained" onClick={() => setInviting(true)}>
            Invite
          </Button>
        )
      }
    >
      <Query query={members} rows={4}>
        {(found) => (
          <DataTable
            name="members"
            label="Members"
            rows={found}
            rowKey={(row) => row.user_id}
            {...(manages ? { onOpen: setChosen } : {})}
            columns={[
              { key: 'name', title: 'Name', cell: (row) => row.name, order: byText((row) => row.name) },
              {
                key: 'email',
                title: 'E-mail address',
                cell: (row) => row.email,
                order: byText((row) => row.email),
              },
              { key: 'role', title: 'Role', cell: (row) => row.role, order: byText((row) => row.role) },
              {
                key: 'services',
                title: 'Orders',
                cell: (row) =>
                  row.services
                    ? row.services.map((each) => names.get(each) ?? each).join(', ') || 'nothing'
                    : 'all services',
              },
              { key: 'factor', title: 'Second factor', cell: (row) => (row.second_factor ? 'yes' : 'none') },
              { key: 'state', title: 'State', cell: (row) => (row.disabled ? 'disabled' : 'active') },
            ]}
          />
        )}
      </Query>
      {manages && <Demanded organisation={home.organisation} sells={home.type !== 'tenant'} />}
      {manages && <Invitations organisation={home.organisation} />}
      {inviting && (
        <InviteDialog organisation={home.organisation} name={home.name} onClose={() => setInviting(false)} />
      )}
      {chosen && (
        <MemberDialog organisation={home.organisation} member={chosen} onClose={() => setChosen(null)} />
      )}
    </Page>
  );
}

function Invitations({ organisation }: { organisation: string }) {
  const queries = useQueryClient();
  const invitations = useQuery(invitationsOptions(organisation));
  const withdraw = useMutation({
    mutationFn: async (id: string) => {
      await api.DELETE('/api/v1/invitations/{invitation_id}', { params: { path: { invitation_id: id } } });
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ['invitations'] }),
  });
  return (
    <Box sx={{ mt: 3 }}>
      <Section title="Invited">
        <Query query={invitations} rows={2}>
          {(found) =>
            found.length ? (
              <DataTable
                name="invitations"
                label="Invitations"
                rows={found}
                rowKey={(row) => row.id}
                columns={[
                  { key: 'email', title: 'E-mail address', cell: (row) => row.email },
                  { key: 'role', title: 'Role', cell: (row) => row.role },
                  { key: 'from', title: 'From', cell: (row) => row.invited_from || 'above' },
                  {
                    key: 'until',
                    title: 'Until, UTC',
                    whole: true,
                    cell: (row) => momentName(row.expires_at),
                  },
                  {
                    key: 'act',
                    title: '',
                    cell: (row) => (
                      <Button
                        aria-label={`Withdraw the invitation of ${row.email}`}
                        loading={withdraw.isPending && withdraw.variables === row.id}
                        onClick={() => withdraw.mutate(row.id)}
                      >
                        Withdraw
                      </Button>
                    ),
                  },
                ]}
              />
            ) : (
              <Empty title="Nobody is invited just now">
                Whoever accepts an invitation becomes a member.
              </Empty>
            )
          }
        </Query>
      </Section>
    </Box>
  );
}
