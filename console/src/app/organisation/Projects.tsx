/** The projects of an organisation: what uses services and is charged. */
import { Box, Button } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSignedIn } from '../../access/session';
import { ProjectDialog } from '../../organisations/ProjectDialog';
import { type Organisation, projectsOptions } from '../../organisations/organisations';
import { DataTable, byText } from '../../shared/DataTable';
import { Slug } from '../../shared/Slug';
import { Empty, Query } from '../../shared/States';

export function Projects({ organisation }: { organisation: Organisation }) {
  const { may } = useSignedIn();
  const projects = useQuery(projectsOptions(organisation.slug));
  const [adding, setAdding] = useState(false);
  const add = may('manage organisations') && (
    <Button variant="contained" onClick={() => setAdding(true)}>
      Add a project
    </Button>
  );
  return (
    <>
      <Query query={projects} rows={3}>
        {(found) =>
          found.length ? (
            <>
              <Box sx={{ display: 'flex', justifyContent: 'flex-end', mb: 1 }}>{add}</Box>
              <DataTable
                name="projects"
                label="Projects"
                rows={found}
                rowKey={(project) => project.slug}
                columns={[
                  {
                    key: 'name',
                    title: 'Project',
                    cell: (each) => each.name,
                    order: byText((each) => each.name),
                  },
                  {
                    key: 'slug',
                    title: 'Named in readings',
                    cell: (each) => <Slug>{`${each.organisation}/${each.slug}`}</Slug>,
                  },
                  {
                    key: 'centre',
                    title: 'Cost centre',
                    cell: (each) => each.cost_centre ?? '—',
                    order: byText((each) => each.cost_centre),
                  },
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
      {adding && <ProjectDialog organisation={organisation} onClose={() => setAdding(false)} />}
    </>
  );
}
