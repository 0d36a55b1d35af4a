/** Work in progress: what the service does for the organisation, with its steps; what needs a hand is tried again here. */
import { Box, Button, LinearProgress, MenuItem, TextField } from '@mui/material';
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useSignedIn } from '../access/session';
import { api, body } from '../shared/api';
import { DataTable } from '../shared/DataTable';
import { momentName } from '../shared/dates';
import { useFilters } from '../shared/filters';
import { Page, Section } from '../shared/Page';
import { Empty, Failed, Loading, Query } from '../shared/States';
import { madeOf, STATES, taskOptions, tasksOptions, type Task } from './tasks';

export default function WorkPage() {
  const { home } = useSignedIn();
  const [params, set] = useFilters();
  const state = params.get('state') ?? '';
  const chosen = params.get('task');
  const tasks = useInfiniteQuery(tasksOptions(home.organisation, state));
  const rows = tasks.data?.pages.flatMap((page) => page.items) ?? [];
  return (
    <Page
      title="Work in progress"
      lead={`What the service does for ${home.name}, the last asked first. What failed is tried again by itself, or waits for a hand.`}
      filters={
        <TextField
          select
          label="State"
          value={state}
          onChange={(event) => set('state', event.target.value)}
          sx={{ width: 200 }}
        >
          <MenuItem value="">everything</MenuItem>
          {STATES.map((each) => (
            <MenuItem key={each} value={each}>
              {each === 'open' ? 'not ended yet' : each}
            </MenuItem>
          ))}
        </TextField>
      }
    >
      {tasks.isError && <Failed error={tasks.error} retry={() => void tasks.refetch()} />}
      {tasks.isPending && <Loading />}
      {tasks.isSuccess && !rows.length && (
        <Empty title={state ? 'Nothing in this state' : 'Nothing was asked for yet'}>
          Closing a month and issuing its drafts are done here, step by step.
        </Empty>
      )}
      {rows.length > 0 && (
        <DataTable
          name="tasks"
          label="Work in progress"
          rows={rows}
          rowKey={(row) => row.id}
          selected={chosen}
          onOpen={(row) => set('task', row.id === chosen ? '' : row.id)}
          detail={(row) => <Steps id={row.id} />}
          columns={[
            { key: 'kind', title: 'What', cell: (row) => `${row.kind} ${row.subject}` },
            { key: 'state', title: 'State', width: 130, cell: (row) => <StateOf task={row} /> },
            { key: 'made', title: 'Made', cell: (row) => madeOf(row) },
            { key: 'asked', title: 'Asked, UTC', whole: true, cell: (row) => momentName(row.asked_at) },
            { key: 'by', title: 'By', cell: (row) => row.asked_by ?? 'the service' },
            { key: 'problem', title: 'Problem', cell: (row) => row.problem ?? '' },
          ]}
        />
      )}
      {tasks.hasNextPage && (
        <Button sx={{ mt: 1 }} loading={tasks.isFetchingNextPage} onClick={() => void tasks.fetchNextPage()}>
          Show earlier ones
        </Button>
      )}
      {chosen && !rows.some((row) => row.id === chosen) && <Steps id={chosen} />}
    </Page>
  );
}

function StateOf({ task }: { task: Task }) {
  return (
    <Box component="span" sx={{ color: task.state === 'needs a hand' ? 'error.main' : 'inherit' }}>
      {task.state}
    </Box>
  );
}

/** A task with the steps of all its attempts. */
function Steps({ id }: { id: string }) {
  const task = useQuery(taskOptions(id));
  const queries = useQueryClient();
  const retry = useMutation({
    mutationFn: async () =>
      body(await api.POST('/api/v1/tasks/{task_id}/retry', { params: { path: { task_id: id } } })),
    onSettled: async () => {
      for (const key of ['tasks', 'task', 'bill runs']) await queries.invalidateQueries({ queryKey: [key] });
    },
  });
  return (
    <Query query={task} rows={3}>
      {(found) => (
        <Box sx={{ mt: 2 }}>
          <Section
            title={`Steps of ${found.kind} ${found.subject}`}
            aside={
              found.state === 'needs a hand' && (
                <Button variant="outlined" loading={retry.isPending} onClick={() => retry.mutate()}>
                  Try again
                </Button>
              )
            }
          >
            {retry.isError && <Failed error={retry.error} />}
            {found.problem && <Box sx={{ color: 'error.main', mb: 1.5 }}>{found.problem}</Box>}
            {found.state === 'waiting' && found.attempts > 0 && (
              <Box sx={{ color: 'text.secondary', mb: 1.5 }}>
                Attempt {found.attempts + 1} at {momentName(found.not_before)} UTC
              </Box>
            )}
            {found.state === 'running' && (
              <LinearProgress
                aria-label="How far it is"
                variant={found.total ? 'determinate' : 'indeterminate'}
                value={found.total ? (100 * found.made) / found.total : 0}
                sx={{ mb: 1.5 }}
              />
            )}
            {found.steps.length ? <StepTable task={found} /> : <Empty title="No step has begun yet" />}
          </Section>
        </Box>
      )}
    </Query>
  );
}

function StepTable({ task }: { task: Task }) {
  return (
    <DataTable
      name="steps"
      label="Steps"
      rows={task.steps}
      rowKey={(step) => `${step.started_at} ${step.name}`}
      columns={[
        { key: 'attempt', title: 'Attempt', number: true, width: 80, cell: (step) => String(step.attempt) },
        { key: 'name', title: 'Step', cell: (step) => step.name },
        { key: 'state', title: 'State', width: 130, cell: (step) => step.state },
        { key: 'began', title: 'Began, UTC', width: 140, cell: (step) => momentName(step.started_at) },
        {
          key: 'result',
          title: 'Came to',
          cell: (step) => (
            <Box sx={{ whiteSpace: 'pre-line', overflowWrap: 'anywhere' }}>
              {[
                Object.entries(step.result ?? {})
                  .map(([name, value]) => `${name} ${String(value)}`)
                  .join(', '),
                step.log,
              ]
                .filter(Boolean)
                .join('\n')}
            </Box>
          ),
        },
      ]}
    />
  );
}
