/** Adds a project, or changes one: its name, what it is under, and its cost centre from today on. */
import { useQuery, useQueryClient } from '@tanstack/react-query';
import * as z from 'zod/mini';
import { api, body } from '../shared/api';
import { EntryDialog, TextInput, given, slug } from '../shared/form';
import { Names } from '../shared/Names';
import { useToast } from '../shared/Toasts';
import { type Organisation, type Project, projectsOptions } from './organisations';

const fields = { name: given('The name that people read'), cost_centre: z.string(), parent: z.string() };
const made = z.object({ ...fields, slug });
const changed = z.object(fields);

interface Props {
  organisation: Organisation;
  onClose: () => void;
}

export function ProjectDialog({ organisation, onClose }: Props) {
  const queries = useQueryClient();
  return (
    <EntryDialog
      title={`A new project of ${organisation.name}`}
      act="Add the project"
      schema={made}
      initial={{ name: '', slug: '', cost_centre: '', parent: '' }}
      save={async ({ cost_centre, parent, ...rest }) => {
        body(
          await api.POST('/api/v1/organisations/{organisation}/projects', {
            params: { path: { organisation: organisation.slug } },
            body: { ...rest, cost_centre: cost_centre.trim() || null, parent: parent || null },
          }),
        );
        await queries.invalidateQueries({ queryKey: ['projects', organisation.slug] });
      }}
      onClose={onClose}
    >
      <Names hint={`Readings name it as ${organisation.slug}/its slug`} />
      <Under organisation={organisation} />
      <TextInput
        name="cost_centre"
        label="Cost centre"
        columns={3}
        optional
        hint="Stands beside its charges in spend"
      />
    </EntryDialog>
  );
}

export function ProjectChangeDialog({ organisation, project, onClose }: Props & { project: Project }) {
  const queries = useQueryClient();
  const say = useToast();
  const path = { organisation: organisation.slug, project: project.slug };
  const send = async (values: z.infer<typeof changed>, version: number) => {
    const now = body(
      await api.PATCH('/api/v1/organisations/{organisation}/projects/{project}', {
        params: { path },
        body: {
          version,
          name: values.name,
          cost_centre: values.cost_centre.trim() || null,
          parent: values.parent || null,
        },
      }),
    );
    await queries.invalidateQueries({ queryKey: ['projects', organisation.slug] });
    return now;
  };
  const was = { name: project.name, cost_centre: project.cost_centre ?? '', parent: project.parent ?? '' };
  return (
    <EntryDialog
      title={project.name}
      act="Save"
      schema={changed}
      initial={was}
      save={async (values) => {
        const now = await send(values, project.version);
        say(`${now.name} is changed.`, () => send(was, now.version));
      }}
      onClose={onClose}
    >
      <TextInput name="name" label="Name" />
      <Under organisation={organisation} but={project} />
      <TextInput
        name="cost_centre"
        label="Cost centre"
        columns={3}
        optional
        hint="Another holds from today on"
      />
    </EntryDialog>
  );
}

/** What a project is under: any other but those below it. */
function Under({ organisation, but }: { organisation: Organisation; but?: Project }) {
  const projects = useQuery(projectsOptions(organisation.slug)).data ?? [];
  const below = new Set(but ? [but.slug] : []);
  // Each stands after the one that it is under.
  for (const each of projects) if (each.parent !== null && below.has(each.parent)) below.add(each.slug);
  const others = projects.filter((each) => !below.has(each.slug));
  return (
    <TextInput
      name="parent"
      label="Under"
      columns={3}
      optional
      options={[
        ['', 'nothing: at the top'],
        ...others.map((each) => [each.slug, `${'\u2003'.repeat(each.level - 1)}${each.name}`] as const),
      ]}
    />
  );
}
