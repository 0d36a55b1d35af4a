/** The steps of a customer that comes on board: how far they are, what needs a hand, tried again or taken back. */
import { Alert, Box, Button } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import { api, type Schemas } from '../shared/api';
import { dayName, momentName } from '../shared/dates';
import { EntryDialog, Remark } from '../shared/form';
import { Section } from '../shared/Page';
import { type Onboarding, firstReadingsOptions, refresh } from './onboardings';

type Task = Schemas['TaskBody'];
const MARKS: Record<string, string> = { done: '✓', running: '…', 'needs a hand': '!', undone: '–' };

export function Steps({ onboarding, task }: { onboarding: Onboarding; task: Task }) {
  const { mayAt } = useSignedIn();
  const queries = useQueryClient();
  const [undoing, setUndoing] = useState(false);
  const manages = mayAt('manage organisations', onboarding.seller);
  const retry = useMutation({
    mutationFn: () => api.POST('/api/v1/tasks/{task_id}/retry', { params: { path: { task_id: task.id } } }),
    onSuccess: () => refresh(queries),
  });
  const stuck = task.state === 'needs a hand';
  const rests = task.state === 'waiting' && task.problem !== null;
  return (
    <Section title="Its steps">
      <Box
        component="ol"
        sx={{ listStyle: 'none', m: 0, p: 0, display: 'grid', gap: 0.75, fontSize: '0.9rem' }}
      >
        {task.steps.map((step) => (
          <Box component="li" key={`${step.started_at} ${step.name}`} sx={{ display: 'flex', gap: 1.25 }}>
            <Box
              aria-hidden="true"
              sx={{ width: 14, color: step.state === 'needs a hand' ? 'error.main' : 'primary.main' }}
            >
              {MARKS[step.state] ?? '·'}
            </Box>
            <Box>
              {step.name}: {step.state}
              <Box component="span" sx={{ color: 'text.secondary' }}>
                {' '}
                {momentName(step.started_at)} UTC {step.log && step.log !== task.problem && `· ${step.log}`}
              </Box>
            </Box>
          </Box>
        ))}
        {!task.steps.length && <li>Nothing was begun yet.</li>}
        {onboarding.state === 'done' && onboarding.customer && (
          <FirstReadings customer={onboarding.customer} />
        )}
      </Box>
      {(stuck || rests) && (
        <Alert severity={stuck ? 'error' : 'warning'} variant="outlined" sx={{ mt: 2 }}>
          {task.problem}
          {rests && ` It is tried again by itself at ${momentName(task.not_before)} UTC.`}
        </Alert>
      )}
      {retry.isError && (
        <Alert severity="error" variant="outlined" sx={{ mt: 2 }}>
          {retry.error.message}
        </Alert>
      )}
      {manages && (
        <Box sx={{ display: 'flex', gap: 1, mt: 2 }}>
          {(stuck || rests) && (
            <Button variant="contained" onClick={() => retry.mutate()} loading={retry.isPending}>
              Try again
            </Button>
          )}
          {onboarding.state === 'running' && (
            <Button color="error" onClick={() => setUndoing(true)}>
              Take it all back
            </Button>
          )}
        </Box>
      )}
      {undoing && <UndoDialog onboarding={onboarding} onClose={() => setUndoing(false)} />}
    </Section>
  );
}

/** The last step, which closes by itself: something was measured in each account. */
export function FirstReadings({ customer }: { customer: string }) {
  const { data } = useQuery(firstReadingsOptions(customer));
  return data?.map((each) => (
    <Box component="li" key={`${each.cloud_name} ${each.account}`} sx={{ display: 'flex', gap: 1.25 }}>
      <Box aria-hidden="true" sx={{ width: 14, color: each.metered ? 'primary.main' : 'warning.main' }}>
        {each.first_day ? '✓' : each.metered ? '…' : '!'}
      </Box>
      <Box>
        first reading seen of {each.account} in {each.cloud_name}:{' '}
        {each.first_day
          ? `done, ${dayName(each.first_day)}`
          : each.metered
            ? 'not yet'
            : 'its cloud’s usage comes by no feed'}
      </Box>
    </Box>
  ));
}

function UndoDialog({ onboarding, onClose }: { onboarding: Onboarding; onClose: () => void }) {
  const queries = useQueryClient();
  return (
    <EntryDialog
      title={`Take ${onboarding.wanted.name} back`}
      act="Take it all back"
      schema={z.object({})}
      initial={{}}
      save={async () => {
        await api.POST('/api/v1/onboardings/{onboarding}/undo', {
          params: { path: { onboarding: onboarding.id } },
        });
        await refresh(queries);
      }}
      onClose={onClose}
    >
      <Remark>
        The accounts that were made for it are taken away, its limits are free again, and the organisation
        goes. Accounts that were linked stay as they are. Nobody was invited yet.
      </Remark>
    </EntryDialog>
  );
}
