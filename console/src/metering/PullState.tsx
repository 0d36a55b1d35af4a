/** How the fetching of a feed goes, and what can be done about it. */
import { Alert, Box, Button } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../shared/api';
import { useToast } from '../shared/Toasts';
import type { Feed } from './metering';
import { PullDialog } from './PullDialog';
import { pullOptions, pullWords } from './pulls';

export function PullState({ feed, manages }: { feed: Feed; manages: boolean }) {
  const { data: pull } = useQuery(pullOptions(feed.path));
  const queries = useQueryClient();
  const say = useToast();
  const [changing, setChanging] = useState(false);
  const params = { query: { feed: feed.path } };
  const listed = () =>
    Promise.all(
      ['pull', 'deliveries'].map((each) => queries.invalidateQueries({ queryKey: [each, feed.path] })),
    );
  const act = useMutation({
    mutationFn: (run: () => Promise<unknown>) => run(),
    onSuccess: listed,
    onError: (problem) => say(problem.message),
  });
  const pause = (paused: boolean) => api.PUT('/api/v1/feeds/pull/paused', { params, body: { paused } });
  if (!pull?.kind) return null;
  return (
    <>
      <Alert
        severity={pull.problem || pull.behind || pull.quiet_from || pull.refused_files ? 'warning' : 'info'}
        variant="outlined"
        sx={{ mb: 2 }}
        action={
          manages && (
            <Box sx={{ display: 'flex', gap: 0.5, flexWrap: 'wrap', justifyContent: 'end' }}>
              {!pull.paused && (
                <Button
                  loading={act.isPending}
                  onClick={() =>
                    act.mutate(() => api.POST('/api/v1/feeds/pull/runs', { params, body: { since: null } }))
                  }
                >
                  Fetch now
                </Button>
              )}
              <Button loading={act.isPending} onClick={() => act.mutate(() => pause(!pull.paused))}>
                {pull.paused ? 'Go on' : 'Rest'}
              </Button>
              <Button onClick={() => setChanging(true)}>Change</Button>
            </Box>
          )
        }
      >
        {pullWords(pull)}
      </Alert>
      {changing && <PullDialog feed={feed} pull={pull} onClose={() => setChanging(false)} />}
    </>
  );
}
