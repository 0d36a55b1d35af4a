/** What a seller says of a customer: segment, tags, notes, who pays. The customer never reads the first three. */
import { useQueryClient } from '@tanstack/react-query';
import * as z from 'zod/mini';
import { api, body } from '../shared/api';
import { EntryDialog, OwnInput, Remark, TextInput } from '../shared/form';
import { CustomerPicker } from './CustomerPicker';
import type { Details } from './details';
import type { Organisation } from './organisations';

const schema = z.object({ segment: z.string(), tags: z.string(), notes: z.string(), payer: z.string() });

export function NotesDialog({
  organisation,
  details,
  onClose,
}: {
  organisation: Organisation;
  details: Details;
  onClose: () => void;
}) {
  const queries = useQueryClient();
  const save = async ({ segment, tags, notes, payer }: z.infer<typeof schema>) => {
    body(
      await api.PATCH('/api/v1/organisations/{organisation}', {
        params: { path: { organisation: organisation.slug } },
        body: {
          segment: segment.trim() || null,
          tags: tags
            .split(',')
            .map((each) => each.trim())
            .filter(Boolean),
          notes,
          payer: payer === organisation.slug ? null : payer,
        },
      }),
    );
    await queries.invalidateQueries({ queryKey: ['organisations'] });
  };
  return (
    <EntryDialog
      title={`What you note of ${organisation.name}`}
      act="Save"
      schema={schema}
      initial={{
        segment: organisation.segment ?? '',
        tags: organisation.tags.join(', '),
        notes: details.notes ?? '',
        payer: details.payer ?? organisation.slug,
      }}
      save={save}
      changes
      onClose={onClose}
    >
      <TextInput
        name="segment"
        label="Segment"
        columns={3}
        optional
        hint="Your word for the kind of customer; rate cards and offers can be for one"
      />
      <TextInput
        name="tags"
        label="Tags"
        columns={3}
        optional
        hint="Words by which you find it, with commas"
      />
      <TextInput name="notes" label="Notes" optional lines={4} />
      <OwnInput<string> name="payer">
        {(payer, onChange) => <CustomerPicker label="Pays its documents" value={payer} onChange={onChange} />}
      </OwnInput>
      <Remark>{organisation.name} reads who pays, and nothing else of this.</Remark>
    </EntryDialog>
  );
}
