/** The projects of an organisation as a tree: what uses services and is charged. */
import { Box, Button } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSignedIn } from '../../access/session';
import { ProjectChangeDialog, ProjectDialog } from '../../organisations/ProjectDialog';
import { ProjectLevelsDialog } from '../../organisations/ProjectLevelsDialog';
import { ProjectPeopleDialog } from '../../organisations/ProjectPeopleDialog';
import { type Organisation, type Project, projectsOptions } from '../../organisations/organisations';
import { PermittedDialog } from '../../organisations/PermittedDialog';
import { levelsOptions } from '../../organisations/projects';
import { sitesOptions } from '../../organisations/sites';
import { DataTable } from '../../shared/DataTable';
import { Slug } from '../../shared/Slug';
import { Empty, Query } from '../../shared/States';

type Open = { what: 'add' | 'levels' } | { what: 'change' | 'people' | 'sites'; project: Project };

export function Projects({ organisation }: { organisation: Organisation }) {
  const { may, mayAt } = useSignedIn();
  const projects = useQuery(projectsOptions(organisation.slug));
  const levels = useQuery(levelsOptions(organisation.slug));
  const sites = useQuery(sitesOptions(organisation.slug));
  const [open, setOpen] = useState<Open | null>(null);
  const close = () => setOpen(null);
  const manages = may('manage organisations');
  // Its people, and what it calls its levels, are its own to say.
  const own = mayAt('manage organisations', organisation.slug);
  const add = manages && (
    <Button variant="contained" onClick={() => setOpen({ what: 'add' })}>
      Add a project
    </Button>
  );
  return (
    <>
      <Query query={projects} rows={3}>
        {(found) =>
          found.length ? (
            <>
              <Box sx={{ display: 'flex', justifyContent: 'flex-end', gap: 1, mb: 1 }}>
                {own && <Button onClick={() => setOpen({ what: 'levels' })}>Name the levels</Button>}
                {add}
              </Box>
              <DataTable
                name="projects"
                label="Projects"
                rows={found}
                rowKey={(project) => project.slug}
                columns={[
                  {
                    key: 'name',
                    title: 'Project',
                    cell: (each) => <Box sx={{ pl: (each.level - 1) * 2.5 }}>{each.name}</Box>,
                  },
                  ...(levels.data?.length
                    ? [
                        {
                          key: 'level',
                          title: 'Level',
                          cell: (each: Project) => levels.data[each.level - 1] ?? '—',
                        },
                      ]
                    : []),
                  {
                    key: 'slug',
                    title: 'Named in readings',
                    cell: (each) => <Slug>{`${each.organisation}/${each.slug}`}</Slug>,
                  },
                  { key: 'centre', title: 'Cost centre', cell: (each) => each.cost_centre ?? '—' },
                  ...(manages
                    ? [
                        {
                          key: 'act',
                          title: '',
                          cell: (each: Project) => (
                            <Box sx={{ display: 'flex', justifyContent: 'flex-end', gap: 0.5 }}>
                              {own && (
                                <Button
                                  aria-label={`People of ${each.name}`}
                                  onClick={() => setOpen({ what: 'people', project: each })}
                                >
                                  People
                                </Button>
                              )}
                              {(sites.data?.length ?? 0) > 1 && (
                                <Button
                                  aria-label={`Sites of ${each.name}`}
                                  onClick={() => setOpen({ what: 'sites', project: each })}
                                >
                                  Sites
                                </Button>
                              )}
                              <Button
                                aria-label={`Change ${each.name}`}
                                onClick={() => setOpen({ what: 'change', project: each })}
                              >
                                Change
                              </Button>
                            </Box>
                          ),
                        },
                      ]
                    : []),
                ]}
              />
            </>
          ) : (
            <Empty title="No projects yet">
              <p>Usage needs a project to belong to: readings name it as their owner.</p>
              {add}
            </Empty>
          )
        }
      </Query>
      {open?.what === 'add' && <ProjectDialog organisation={organisation} onClose={close} />}
      {open?.what === 'levels' && (
        <ProjectLevelsDialog organisation={organisation} levels={levels.data ?? []} onClose={close} />
      )}
      {open?.what === 'change' && (
        <ProjectChangeDialog organisation={organisation} project={open.project} onClose={close} />
      )}
      {open?.what === 'sites' && (
        <PermittedDialog organisation={organisation} project={open.project} onClose={close} />
      )}
      {open?.what === 'people' && (
        <ProjectPeopleDialog organisation={organisation} project={open.project} onClose={close} />
      )}
    </>
  );
}
