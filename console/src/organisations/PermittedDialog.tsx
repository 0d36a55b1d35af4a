/** Which sites an organisation, or a project of one, may use. */
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useWatch } from 'react-hook-form';
import * as z from 'zod/mini';
import { api, body } from '../shared/api';
import { CheckInput, EntryDialog, OwnInput, Remark } from '../shared/form';
import { SomeOf } from '../shared/SomeOf';
import { useToast } from '../shared/Toasts';
import type { Organisation, Project } from './organisations';
import { permittedOptions, sitesOptions } from './sites';

const schema = z.object({ all: z.boolean(), sites: z.array(z.string()) });

interface Props {
  organisation: Organisation;
  project?: Project;
  onClose: () => void;
}

export function PermittedDialog({ organisation, project, onClose }: Props) {
  const queries = useQueryClient();
  const say = useToast();
  const permitted = useQuery(permittedOptions(organisation.slug, project?.slug));
  const sites = useQuery(sitesOptions(project ? organisation.slug : (organisation.parent ?? '')));
  if (!permitted.data || !sites.data) return null;
  const put = async (chosen: string[] | null) =>
    body(
      project
        ? await api.PUT('/api/v1/organisations/{organisation}/projects/{project}/permitted-sites', {
            params: { path: { organisation: organisation.slug, project: project.slug } },
            body: { sites: chosen },
          })
        : await api.PUT('/api/v1/organisations/{organisation}/permitted-sites', {
            params: { path: { organisation: organisation.slug } },
            body: { sites: chosen },
          }),
    );
  const before = permitted.data.sites;
  const name = project?.name ?? organisation.name;
  return (
    <EntryDialog
      title={`Sites that ${name} may use`}
      act="Save"
      schema={schema}
      initial={{ all: before === null, sites: before ?? sites.data.map((site) => site.id) }}
      save={async ({ all, sites: chosen }) => {
        await put(all ? null : chosen);
        await queries.invalidateQueries({ queryKey: ['sites'] });
        say(`The sites of ${name} are set.`, () => put(before));
      }}
      onClose={onClose}
    >
      <CheckInput
        name="all"
        label={`All that its ${project ? 'organisation' : 'seller'} may use, also those to come`}
      />
      <Chosen sites={sites.data.map((site) => [site.id, site.name] as const)} />
      <Remark>
        {project ? 'It has limits at no other site.' : 'What is below it may use no others either.'}
      </Remark>
    </EntryDialog>
  );
}

function Chosen({ sites }: { sites: (readonly [string, string])[] }) {
  const all = useWatch({ name: 'all' }) as boolean;
  return (
    <OwnInput<string[]> name="sites">
      {(chosen, onChange) => (
        <SomeOf label="Sites" options={sites} chosen={chosen} all={all} onChange={onChange} />
      )}
    </OwnInput>
  );
}
