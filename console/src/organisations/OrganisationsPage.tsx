/** The tree of organisations with their quotas; details open beside it. */
import { Box, TextField } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useDeferredValue } from 'react';
import { useFilters } from '../shared/filters';
import { Page } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { LargeTree } from './LargeTree';
import { OrganisationDetail } from './OrganisationDetail';
import { OrganisationTree } from './OrganisationTree';
import { FEW, organisationOptions, organisationsOptions, tree } from './organisations';

export default function OrganisationsPage() {
  const [params, set] = useFilters();
  const search = params.get('search') ?? '';
  const wanted = useDeferredValue(search.trim());
  const chosen = params.get('organisation');
  const some = useQuery(organisationsOptions({ limit: FEW }));
  const open = useQuery({ ...organisationOptions(chosen ?? ''), enabled: chosen !== null });
  const onOpen = (slug: string) => set('organisation', slug === chosen ? '' : slug);
  return (
    <Page
      title="Who buys from whom"
      lead="Every organisation you see, under the one that sells to it."
      filters={
        <TextField
          label="Search"
          type="search"
          value={search}
          onChange={(event) => set('search', event.target.value)}
        />
      }
    >
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: {
            xs: 'minmax(0, 1fr)',
            lg: chosen ? 'minmax(0, 1fr) 440px' : 'minmax(0, 1fr)',
          },
          gap: 4,
        }}
      >
        <Query query={some} rows={12}>
          {(page) =>
            page.next !== null ? (
              <LargeTree search={wanted} open={chosen} onOpen={onOpen} />
            ) : (
              <Whole branches={tree(page.items, wanted)} open={chosen} onOpen={onOpen} />
            )
          }
        </Query>
        {chosen && (
          <Query query={open} rows={12}>
            {(organisation) => (
              <OrganisationDetail
                key={organisation.slug}
                organisation={organisation}
                onClose={() => set('organisation', '')}
              />
            )}
          </Query>
        )}
      </Box>
    </Page>
  );
}

function Whole(props: Parameters<typeof OrganisationTree>[0]) {
  if (props.branches.length) return <OrganisationTree {...props} />;
  return <Empty title="No organisation has that in its name">Search for something else.</Empty>;
}
