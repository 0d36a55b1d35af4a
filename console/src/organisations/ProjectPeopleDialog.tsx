/** Who answers for a project and who works in it: members, who are told what concerns it. */
import { Autocomplete, TextField } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useController } from 'react-hook-form';
import * as z from 'zod/mini';
import { membersOptions } from '../access/members';
import { api, body, type Schemas } from '../shared/api';
import { EntryDialog, Remark, TextInput } from '../shared/form';
import { useToast } from '../shared/Toasts';
import type { Organisation, Project } from './organisations';
import { projectPeopleOptions } from './projects';

const schema = z.object({ owner: z.string(), members: z.array(z.string()) });
type Values = z.infer<typeof schema>;

interface Props {
  organisation: Organisation;
  project: Project;
  onClose: () => void;
}

export function ProjectPeopleDialog(props: Props) {
  const people = useQuery(projectPeopleOptions(props.organisation.slug, props.project.slug));
  return people.data ? <Entered {...props} people={people.data} /> : null;
}

function Entered({
  organisation,
  project,
  people,
  onClose,
}: Props & { people: Schemas['ProjectPeopleBody'] }) {
  const queries = useQueryClient();
  const say = useToast();
  const members = useQuery(membersOptions(organisation.slug)).data ?? [];
  const known = members.filter((each) => !each.disabled);
  return (
    <EntryDialog
      title={`People of ${project.name}`}
      act="Save"
      schema={schema}
      initial={{ owner: people.owner ?? '', members: people.members }}
      save={async ({ owner, members: others }) => {
        body(
          await api.PUT('/api/v1/organisations/{organisation}/projects/{project}/people', {
            params: { path: { organisation: organisation.slug, project: project.slug } },
            body: { owner: owner || null, members: others.filter((each) => each !== owner) },
          }),
        );
        await queries.invalidateQueries({ queryKey: ['project people', organisation.slug] });
        say(`The people of ${project.name} are said.`);
      }}
      onClose={onClose}
    >
      <Remark>They are told what concerns the project. What they may do goes by their roles.</Remark>
      <TextInput
        name="owner"
        label="Answers for it"
        optional
        options={[['', 'nobody yet'], ...known.map((each) => [each.email, each.name] as const)]}
      />
      <Members known={known.map(({ email, name }) => ({ email, name }))} />
    </EntryDialog>
  );
}

function Members({ known }: { known: { email: string; name: string }[] }) {
  const { field } = useController<Values, 'members'>({ name: 'members' });
  const names = new Map(known.map((each) => [each.email, each.name]));
  return (
    <Autocomplete
      multiple
      options={known.map((each) => each.email)}
      value={field.value}
      getOptionLabel={(email) => names.get(email) ?? email}
      onChange={(_, next) => field.onChange(next)}
      onBlur={field.onBlur}
      sx={{ gridColumn: '1 / -1' }}
      renderInput={(params) => <TextField {...params} label="Work in it" />}
    />
  );
}
