/** Adds a project: a unit of an organisation that uses and is charged. */
import { useQueryClient } from '@tanstack/react-query';
import * as z from 'zod/mini';
import { api, body } from '../shared/api';
import { EntryDialog, TextInput, given, slug } from '../shared/form';
import { Names } from '../shared/Names';
import type { Organisation } from './organisations';

const schema = z.object({ name: given('The name that people read'), slug, cost_centre: z.string() });

export function ProjectDialog({
  organisation,
  onClose,
}: {
  organisation: Organisation;
  onClose: () => void;
}) {
  const queries = useQueryClient();
  return (
    <EntryDialog
      title={`A new project of ${organisation.name}`}
      act="Add the project"
      schema={schema}
      initial={{ name: '', slug: '', cost_centre: '' }}
      save={async ({ cost_centre, ...rest }) => {
        body(
          await api.POST('/api/v1/organisations/{organisation}/projects', {
            params: { path: { organisation: organisation.slug } },
            body: { ...rest, cost_centre: cost_centre.trim() || null },
          }),
        );
        await queries.invalidateQueries({ queryKey: ['projects', organisation.slug] });
      }}
      onClose={onClose}
    >
      <Names hint={`Readings name it as ${organisation.slug}/its slug`} />
      <TextInput name="cost_centre" label="Cost centre" optional hint="Stands beside its charges in spend" />
    </EntryDialog>
  );
}
