/** What kind of customer a buyer is, in its seller's words: rate cards and offers can be for a segment. */
import { useQueryClient } from '@tanstack/react-query';
import * as z from 'zod/mini';
import { api, body } from '../shared/api';
import { EntryDialog, TextInput } from '../shared/form';
import type { Organisation } from './organisations';

const schema = z.object({ segment: z.string() });

export function SegmentDialog({
  organisation,
  onClose,
}: {
  organisation: Organisation;
  onClose: () => void;
}) {
  const queries = useQueryClient();
  return (
    <EntryDialog
      title={`Segment of ${organisation.name}`}
      act="Save"
      schema={schema}
      initial={{ segment: organisation.segment ?? '' }}
      save={async ({ segment }) => {
        body(
          await api.PATCH('/api/v1/organisations/{organisation}', {
            params: { path: { organisation: organisation.slug } },
            body: { segment: segment.trim() || null },
          }),
        );
        await queries.invalidateQueries({ queryKey: ['organisations'] });
      }}
      onClose={onClose}
    >
      <TextInput
        name="segment"
        label="Segment"
        optional
        hint="Your word for the kind of customer; rate cards and offers can be for one. Empty is none."
      />
    </EntryDialog>
  );
}
