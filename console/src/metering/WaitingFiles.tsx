/** Files of a feed that are on their way, or that a person decides about. */
import { Alert, Box, Button } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { type ReactNode, useEffect, useRef } from 'react';
import { api, body } from '../shared/api';
import { useToast } from '../shared/Toasts';
import type { Feed } from './metering';
import {
  isMoving,
  type PulledFile,
  refusedFilesOptions,
  type Upload,
  uploadsOptions,
  uploadWords,
} from './uploads';

export function WaitingFiles({ feed, sends, manages }: { feed: Feed; sends: boolean; manages: boolean }) {
  const queries = useQueryClient();
  const say = useToast();
  const uploads = useQuery(uploadsOptions(feed.path));
  const refused = useQuery(refusedFilesOptions(feed.path));
  const coming = uploads.data ?? [];
  const fetched = refused.data?.items ?? [];
  const listed = () =>
    Promise.all(
      ['uploads', 'refused files', 'pull', 'deliveries', 'imported costs'].map((each) =>
        queries.invalidateQueries({ queryKey: each === 'imported costs' ? [each] : [each, feed.path] }),
      ),
    );
  const act = useMutation({
    mutationFn: (run: () => Promise<unknown>) => run(),
    onSuccess: listed,
    onError: (problem) => say(problem.message),
  });
  const moving = coming.some(isMoving) || fetched.some((each) => each.confirmed);
  useWhenOver(moving, () => void listed());
  const upload = (each: Upload, verb: 'confirm' | 'give-up') =>
    act.mutate(async () =>
      body(await api.POST(`/api/v1/uploads/{upload}/${verb}`, { params: { path: { upload: each.id } } })),
    );
  const confirm = (each: PulledFile) =>
    act.mutate(async () =>
      body(
        await api.POST('/api/v1/feeds/pull/files/confirm', {
          params: { query: { feed: feed.path } },
          body: { name: each.name },
        }),
      ),
    );
  return (
    <>
      {coming.map((each) => (
        <Waiting
          key={each.id}
          name={each.name}
          warns={each.state === 'refused'}
          words={uploadWords(each)}
          actions={
            <>
              {sends && each.confirmable && (
                <Button loading={act.isPending} onClick={() => upload(each, 'confirm')}>
                  Take it as it is
                </Button>
              )}
              {sends && each.state !== 'reading' && (
                <Button loading={act.isPending} onClick={() => upload(each, 'give-up')}>
                  Give up
                </Button>
              )}
            </>
          }
        />
      ))}
      {fetched.map((each) => (
        <Waiting
          key={each.name}
          name={each.name}
          warns={!each.confirmed}
          words={each.confirmed ? 'Confirmed; it is fetched and read again.' : (each.problem ?? '')}
          actions={
            manages &&
            each.confirmable &&
            !each.confirmed && (
              <Button loading={act.isPending} onClick={() => confirm(each)}>
                Take it as it is
              </Button>
            )
          }
        />
      ))}
    </>
  );
}

interface WaitingProps {
  name: string;
  words: string;
  warns: boolean;
  actions: ReactNode;
}

function Waiting({ name, words, warns, actions }: WaitingProps) {
  return (
    <Alert
      severity={warns ? 'warning' : 'info'}
      variant="outlined"
      sx={{ mb: 2, '& .MuiAlert-message': { minWidth: 0, overflowWrap: 'anywhere' } }}
      action={
        <Box sx={{ display: 'flex', gap: 0.5, flexWrap: 'wrap', justifyContent: 'end' }}>{actions}</Box>
      }
    >
      <Box component="span" sx={{ fontWeight: 620, mr: 1 }}>
        {name}
      </Box>
      {words}
    </Alert>
  );
}

/** Does something once what was under way is over. */
function useWhenOver(moving: boolean, then: () => void) {
  const before = useRef(moving);
  useEffect(() => {
    if (before.current && !moving) then();
    before.current = moving;
  });
}
