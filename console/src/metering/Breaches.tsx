/** Where more is in use than a limit allows, and what one's side does about it; nothing where that is nowhere so. */
import { Button } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import * as z from 'zod/mini';
import type { Organisation } from '../organisations/organisations';
import { measureName } from '../organisations/organisations';
import { api, body } from '../shared/api';
import { AskedList } from '../shared/Asked';
import { momentName } from '../shared/dates';
import { formatQuantity } from '../shared/decimal';
import { EntryDialog, Remark, TextInput, given } from '../shared/form';
import { Section } from '../shared/Page';
import { useToast } from '../shared/Toasts';
import { type Breach, breachesOptions, stateOf, usedOf, whoseOf } from './breaches';

export function Breaches({ organisation, manages }: { organisation: Organisation; manages: boolean }) {
  const breaches = useQuery(breachesOptions(organisation.slug));
  const [noting, setNoting] = useState<Breach | null>(null);
  if (!breaches.data?.length) return null;
  return (
    <Section title="Above a limit">
      <AskedList
        items={breaches.data.map((each) => ({
          key: each.id,
          what: `${measureName(each.measure, each.kind)}${whoseOf(each, organisation.slug)}: ${usedOf(each)}, `,
          state: stateOf(each),
          detail:
            `since ${momentName(each.opened_at)}, at most ${formatQuantity(each.most, 1)}` +
            (each.note === null ? '' : ` — ${each.noted_by ?? 'somebody'}: ${each.note}`),
          acts: manages && (
            <Button
              aria-label={`Note on ${each.measure}${whoseOf(each, organisation.slug)}`}
              onClick={() => setNoting(each)}
            >
              {each.note === null ? 'Say what you do' : 'Change the note'}
            </Button>
          ),
        }))}
      />
      {noting && <NoteDialog breach={noting} onClose={() => setNoting(null)} />}
    </Section>
  );
}

const schema = z.object({ note: given('Say what is done about it') });

function NoteDialog({ breach, onClose }: { breach: Breach; onClose: () => void }) {
  const queries = useQueryClient();
  const say = useToast();
  const save = async ({ note }: z.infer<typeof schema>) => {
    body(
      await api.PUT('/api/v1/breaches/{breach}/note', {
        params: { path: { breach: breach.id } },
        body: { note },
      }),
    );
    await queries.invalidateQueries({ queryKey: ['breaches'] });
    await queries.invalidateQueries({ queryKey: ['to dos'] });
    say('It is noted, and on nobody’s list here any more.');
  };
  return (
    <EntryDialog
      title={`${measureName(breach.measure, breach.kind)}: above the ${breach.crossed}`}
      act="Note it"
      schema={schema}
      initial={{ note: breach.note ?? '' }}
      save={save}
      onClose={onClose}
    >
      <Remark>{usedOf(breach)}. It ends by itself once less is in use, or the limit is raised.</Remark>
      <TextInput name="note" label="What you do about it" hint="Your own people read it" lines={2} />
    </EntryDialog>
  );
}
