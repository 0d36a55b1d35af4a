/** What dialogs of rules share: what a change of them does, and taking one away. */
import { Alert, Box } from '@mui/material';
import type { UseQueryResult } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import * as z from 'zod/mini';
import { EntryDialog, Remark } from '../shared/form';

/** What a change would do, a sentence each, or why it cannot be. */
export function RuleChanges<Preview extends { more: boolean }>(props: {
  preview: UseQueryResult<Preview>;
  words: (preview: Preview) => string[];
}) {
  const { preview, words } = props;
  return (
    <Alert
      severity={preview.isError ? 'error' : 'info'}
      variant="outlined"
      aria-busy={preview.isFetching}
      sx={{ gridColumn: '1 / -1' }}
    >
      {preview.isError && preview.error.message}
      {preview.data &&
        words(preview.data).map((sentence) => (
          <Box key={sentence} sx={{ overflowWrap: 'anywhere' }}>
            {sentence}
          </Box>
        ))}
      {preview.data?.more && <Box>Only what came in the last three months was looked at.</Box>}
    </Alert>
  );
}

/** Takes a rule away, beside what that does. */
export function DropRule(props: {
  name: string;
  sentences: string[];
  drop: () => Promise<unknown>;
  onClose: () => void;
  children?: ReactNode;
}) {
  const { name, sentences, drop, onClose, children } = props;
  return (
    <EntryDialog
      title={`Take ${name} away`}
      act="Take it away"
      schema={z.object({})}
      initial={{}}
      save={drop}
      onClose={onClose}
    >
      <Remark>It is as if it had never been.</Remark>
      {sentences.map((sentence) => (
        <Remark key={sentence}>{sentence}</Remark>
      ))}
      {children}
    </EntryDialog>
  );
}
