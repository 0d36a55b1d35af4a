/** The tree of organisations with their quotas; each opens as a page of its own. */
import { Button, TextField } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useDeferredValue } from 'react';
import { Link, useNavigate } from 'react-router';
import { useSignedIn } from '../access/session';
import { FilterChoice } from '../shared/FilterChoice';
import { useFilters } from '../shared/filters';
import { Page } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { LargeTree } from './LargeTree';
import { OrganisationTree } from './OrganisationTree';
import { FEW, organisationsOptions, tree } from './organisations';

const STATES = ['proposed', 'active', 'suspended', 'closing', 'closed'];

export default function OrganisationsPage() {
  const { home, may } = useSignedIn();
  const [params, set] = useFilters();
  const navigate = useNavigate();
  const search = params.get('search') ?? '';
  const wanted = useDeferredValue(search.trim());
  const state = params.get('state') ?? '';
  const tag = params.get('tag') ?? '';
  const asked = useDeferredValue(tag.trim());
  const some = useQuery(organisationsOptions({ limit: FEW }));
  const onOpen = (slug: string) => void navigate(`/organisations/${slug}`);
  const adds = home.type !== 'tenant' && may('manage subscriptions');
  return (
    <Page
      title="Who buys from whom"
      lead="Every organisation you see, under the one that sells to it."
      filters={
        <>
          <TextField
            label="Search"
            type="search"
            value={search}
            onChange={(event) => set('search', event.target.value)}
          />
          <FilterChoice
            label="State"
            none="any"
            value={state}
            onChange={(value) => set('state', value)}
            options={STATES.map((each) => [each, each] as const)}
          />
          {home.type !== 'tenant' && (
            <TextField
              label="Tag"
              value={tag}
              sx={{ width: 120 }}
              onChange={(event) => set('tag', event.target.value)}
            />
          )}
        </>
      }
      action={
        adds && (
          <Button
            component={Link}
            variant="contained"
            size="medium"
            to={`/onboardings/new?organisation=${home.organisation}`}
          >
            Add a customer
          </Button>
        )
      }
    >
      <Query query={some} rows={12}>
        {(page) =>
          page.next !== null || state || asked ? (
            <LargeTree search={wanted} state={state} tag={asked} onOpen={onOpen} />
          ) : (
            <Whole branches={tree(page.items, wanted)} onOpen={onOpen} />
          )
        }
      </Query>
    </Page>
  );
}

function Whole(props: Parameters<typeof OrganisationTree>[0]) {
  if (props.branches.length) return <OrganisationTree {...props} />;
  return <Empty title="No organisation has that in its name">Search for something else.</Empty>;
}
