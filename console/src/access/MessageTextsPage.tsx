/** The texts of messages that come from one's organisation: looked at as mail, written anew, taken back. */
import { Box, Button } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, Navigate } from 'react-router';
import * as z from 'zod/mini';
import { EntryDialog, TextInput, given } from '../shared/form';
import { Page } from '../shared/Page';
import { Query } from '../shared/States';
import { DataTable } from '../shared/DataTable';
import { useToast } from '../shared/Toasts';
import { useWatch } from 'react-hook-form';
import { KIND_WORDS, type MessageText, dropText, textsOptions, tryText, writeText } from './messages';
import { useSignedIn } from './session';

const schema = z.object({ subject: given('A subject'), body: given('A text') });

export default function MessageTextsPage() {
  const { home, mayAt } = useSignedIn();
  const reads = mayAt('manage members', home.organisation);
  const texts = useQuery({ ...textsOptions(home.organisation), enabled: reads });
  const [open, setOpen] = useState<MessageText>();
  if (!reads) return <Navigate to="/record/work" replace />;
  return (
    <Page
      title="Texts of messages"
      lead={`What mail that comes from ${home.name} says.`}
      action={
        <Button component={Link} to="/record/messages" variant="outlined">
          What was sent
        </Button>
      }
    >
      <Query query={texts}>
        {(rows) => (
          <DataTable
            name="message-texts"
            label="Texts of messages"
            rows={rows}
            rowKey={(row) => row.kind}
            columns={[
              { key: 'kind', title: 'About', cell: (row) => KIND_WORDS[row.kind] },
              { key: 'when', title: 'Sent when', cell: (row) => row.when },
              { key: 'subject', title: 'Subject', cell: (row) => row.subject },
              { key: 'own', title: 'Text', cell: (row) => (row.own ? 'your own' : 'as it begins') },
            ]}
            onOpen={setOpen}
          />
        )}
      </Query>
      {open && <TextDialog text={open} onClose={() => setOpen(undefined)} />}
    </Page>
  );
}

function TextDialog({ text, onClose }: { text: MessageText; onClose: () => void }) {
  const { home } = useSignedIn();
  const queries = useQueryClient();
  const say = useToast();
  const again = () => queries.invalidateQueries({ queryKey: textsOptions(home.organisation).queryKey });
  return (
    <EntryDialog
      title={KIND_WORDS[text.kind]}
      act="Save"
      schema={schema}
      initial={{ subject: text.subject, body: text.body }}
      changes
      save={async ({ subject, body }) => {
        await writeText(home.organisation, text, subject, body);
        await again();
        say('The text is saved.', async () => {
          if (text.own)
            await writeText(
              home.organisation,
              { ...text, version: text.version + 1 },
              text.subject,
              text.body,
            );
          else await dropText(home.organisation, text.kind);
          await again();
        });
      }}
      other={
        text.own
          ? {
              act: 'Back to the first text',
              run: async () => {
                await dropText(home.organisation, text.kind);
                await again();
              },
            }
          : undefined
      }
      onClose={onClose}
    >
      <Box sx={{ gridColumn: '1 / -1', fontSize: '0.86rem', color: 'text.secondary' }}>
        Sent when {text.when}. In braces may stand {text.placeholders.map((each) => `{${each}}`).join(', ')}.
        A line apart begins a new paragraph; {'{link}'} alone in one becomes a button.
      </Box>
      <TextInput name="subject" label="Subject" />
      <TextInput name="body" label="Text" lines={8} />
      <Preview text={text} />
    </EntryDialog>
  );
}

/** What is written, as it would arrive. */
function Preview({ text }: { text: MessageText }) {
  const { home } = useSignedIn();
  const [subject, written] = useWatch({ name: ['subject', 'body'] }) as [string, string];
  const preview = useMutation({ mutationFn: () => tryText(home.organisation, text.kind, subject, written) });
  return (
    <Box sx={{ gridColumn: '1 / -1' }}>
      <Button onClick={() => preview.mutate()} loading={preview.isPending}>
        See it as mail
      </Button>
      {preview.isError && (
        <Box role="alert" sx={{ color: 'error.main', fontSize: '0.86rem' }}>
          {preview.error.message}
        </Box>
      )}
      {preview.data && (
        <Box sx={{ mt: 1 }}>
          <Box sx={{ fontWeight: 620, mb: 0.5 }}>{preview.data.subject}</Box>
          <Box
            component="iframe"
            title="The mail"
            sandbox=""
            srcDoc={preview.data.html}
            sx={{
              width: '100%',
              height: 300,
              border: '1px solid',
              borderColor: 'divider',
              bgcolor: '#f7f5ef',
            }}
          />
        </Box>
      )}
    </Box>
  );
}
