/** The signed-in user: password, sessions and tokens. */
import { Box, Button, Link, Typography } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useSignedIn } from './session';
import { api } from '../shared/api';
import { DataTable } from '../shared/DataTable';
import { momentName } from '../shared/dates';
import { Page, Section } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { PasswordDialog } from './PasswordDialog';
import { Programs } from './Programs';
import { SecondFactor } from './SecondFactor';
import { TokenDialog } from './TokenDialog';
import { sessionsOptions, tokensOptions } from './members';

export default function AccountPage() {
  const { session } = useSignedIn();
  const [changing, setChanging] = useState(false);
  return (
    <Page
      title="Your account"
      lead={`${session.name}, ${session.email}, ${session.memberships.map((each) => `${each.role} of ${each.name}`).join(', ')}`}
      action={
        <Button variant="outlined" onClick={() => setChanging(true)}>
          Set a new password
        </Button>
      }
    >
      <SecondFactor />
      <Sessions />
      <Programs />
      <Tokens />
      <Typography variant="body2" color="text.secondary">
        <Link href="/licences.txt">Licences</Link> of the parts that this console is made of
      </Typography>
      {changing && <PasswordDialog onClose={() => setChanging(false)} />}
    </Page>
  );
}

function Sessions() {
  const queries = useQueryClient();
  const sessions = useQuery(sessionsOptions);
  const end = useMutation({
    mutationFn: async (session: string) => {
      await api.DELETE('/api/v1/sessions/{session}', { params: { path: { session } } });
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ['sessions'] }),
  });
  return (
    <Section title="Where you are signed in">
      <Query query={sessions} rows={2}>
        {(found) => (
          <DataTable
            name="sessions"
            label="Sessions"
            rows={found}
            rowKey={(row) => row.id}
            columns={[
              { key: 'started', title: 'Since, UTC', whole: true, cell: (row) => momentName(row.started_at) },
              { key: 'until', title: 'Until, UTC', whole: true, cell: (row) => momentName(row.expires_at) },
              { key: 'address', title: 'From', cell: (row) => row.address },
              {
                key: 'agent',
                title: 'By',
                cell: (row) => (
                  <Box sx={{ minWidth: 150, overflowWrap: 'anywhere' }}>{agentName(row.agent)}</Box>
                ),
              },
              {
                key: 'act',
                title: '',
                cell: (row) =>
                  row.current ? (
                    'this one'
                  ) : (
                    <Button
                      loading={end.isPending && end.variables === row.id}
                      onClick={() => end.mutate(row.id)}
                    >
                      End
                    </Button>
                  ),
              },
            ]}
          />
        )}
      </Query>
    </Section>
  );
}

/** What a browser or program calls itself, by its first telling word. */
function agentName(agent: string): string {
  const found = /(Firefox|Edg|Chrome|Safari)\/[\d.]+/.exec(agent);
  return found ? `a browser (${found[0].replace('Edg/', 'Edge/')})` : agent || 'unknown';
}

function Tokens() {
  const queries = useQueryClient();
  const tokens = useQuery(tokensOptions);
  const [making, setMaking] = useState(false);
  const revoke = useMutation({
    mutationFn: async (id: string) => {
      await api.DELETE('/api/v1/tokens/{token_id}', { params: { path: { token_id: id } } });
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ['tokens'] }),
  });
  return (
    <Section
      title="Tokens of your programs"
      aside={
        <Button variant="outlined" onClick={() => setMaking(true)}>
          Make a token
        </Button>
      }
    >
      <Query query={tokens} rows={2}>
        {(found) =>
          found.length ? (
            <DataTable
              name="tokens"
              label="Tokens"
              rows={found}
              rowKey={(row) => row.id}
              columns={[
                { key: 'name', title: 'Name', cell: (row) => row.name },
                { key: 'organisation', title: 'For', cell: (row) => row.organisation },
                { key: 'role', title: 'Role, at most', cell: (row) => row.role },
                { key: 'until', title: 'Until', whole: true, cell: (row) => row.expires_at.slice(0, 10) },
                {
                  key: 'act',
                  title: '',
                  cell: (row) =>
                    row.revoked ? (
                      'withdrawn'
                    ) : (
                      <Button
                        aria-label={`Withdraw ${row.name}`}
                        loading={revoke.isPending && revoke.variables === row.id}
                        onClick={() => revoke.mutate(row.id)}
                      >
                        Withdraw
                      </Button>
                    ),
                },
              ]}
            />
          ) : (
            <Empty title="No program acts for you">
              A token lets a program do what you may, or less. To send readings, give it the role sender.
            </Empty>
          )
        }
      </Query>
      {making && <TokenDialog onClose={() => setMaking(false)} />}
    </Section>
  );
}
