/** Programs that were planned for the signed-in user: each one's token is collected once, or given up. */
import { Button, Stack } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, body } from '../shared/api';
import { DataTable } from '../shared/DataTable';
import { Section } from '../shared/Page';
import { useToast } from '../shared/Toasts';
import { OnceDialog } from './OnceShown';
import { type Program, type Token, programsOptions } from './members';

export function Programs() {
  const queries = useQueryClient();
  const programs = useQuery(programsOptions);
  const say = useToast();
  const [made, setMade] = useState<Token>();
  const listed = () =>
    Promise.all(['programs', 'tokens'].map((each) => queries.invalidateQueries({ queryKey: [each] })));
  const path = (program: Program) => ({ params: { path: { program: program.id } } });
  const collect = useMutation({
    mutationFn: async (program: Program) =>
      setMade(body(await api.POST('/api/v1/programs/{program}/token', path(program)))),
    onSuccess: listed,
    onError: (problem) => say(problem.message),
  });
  const drop = useMutation({
    mutationFn: async (program: Program) => {
      await api.DELETE('/api/v1/programs/{program}', path(program));
    },
    onSuccess: listed,
    onError: (problem) => say(problem.message),
  });
  if (!made && !programs.data?.length) return null;
  return (
    <Section title="Tokens that wait for you">
      <DataTable
        name="programs"
        label="Programs"
        rows={programs.data ?? []}
        rowKey={(row) => row.id}
        columns={[
          { key: 'name', title: 'Program', cell: (row) => row.name },
          { key: 'organisation', title: 'For', cell: (row) => row.organisation },
          { key: 'role', title: 'Role, at most', cell: (row) => row.role },
          { key: 'days', title: 'Lasts', cell: (row) => `${row.days} days from then` },
          {
            key: 'act',
            title: '',
            cell: (row) => (
              <Stack direction="row" spacing={1}>
                <Button
                  aria-label={`Collect the token of ${row.name}`}
                  loading={collect.isPending && collect.variables.id === row.id}
                  onClick={() => collect.mutate(row)}
                >
                  Collect
                </Button>
                <Button
                  aria-label={`Give up ${row.name}`}
                  loading={drop.isPending && drop.variables.id === row.id}
                  onClick={() => drop.mutate(row)}
                >
                  Give up
                </Button>
              </Stack>
            ),
          },
        ]}
      />
      {made && (
        <OnceDialog title={made.name} secret={made.secret ?? ''} onClose={() => setMade(undefined)}>
          {`Give this key to the program; it lasts until ${made.expires_at.slice(0, 10)}.`}
        </OnceDialog>
      )}
    </Section>
  );
}
