/** What an organisation calls the levels of its tree of projects. */
import { useQueryClient } from '@tanstack/react-query';
import * as z from 'zod/mini';
import { api, body } from '../shared/api';
import { EntryDialog, Remark, TextInput } from '../shared/form';
import type { Organisation } from './organisations';
import { MOST_LEVELS } from './projects';

const schema = z.object({ names: z.array(z.string()) });

export function ProjectLevelsDialog({
  organisation,
  levels,
  onClose,
}: {
  organisation: Organisation;
  levels: readonly string[];
  onClose: () => void;
}) {
  const queries = useQueryClient();
  return (
    <EntryDialog
      title="What the levels are called"
      act="Name them"
      schema={schema}
      initial={{ names: Array.from({ length: MOST_LEVELS }, (_, index) => levels[index] ?? '') }}
      save={async ({ names }) => {
        body(
          await api.PUT('/api/v1/organisations/{organisation}/project-levels', {
            params: { path: { organisation: organisation.slug } },
            body: { names: names.map((each) => each.trim()).filter(Boolean) },
          }),
        );
        await queries.invalidateQueries({ queryKey: ['project levels', organisation.slug] });
      }}
      onClose={onClose}
    >
      <Remark>
        From the top, as in division, school, class. Spend adds up over each level that has a name.
      </Remark>
      {Array.from({ length: MOST_LEVELS }, (_, index) => (
        <TextInput key={index} name={`names.${index}`} label={`Level ${index + 1}`} columns={3} optional />
      ))}
    </EntryDialog>
  );
}
