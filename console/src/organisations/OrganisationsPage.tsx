/** The tree of organisations with their quotas; details open beside it. */
import { Box, TextField } from '@mui/material';
import { useQueries, useQuery } from '@tanstack/react-query';
import { DataTable } from '../shared/DataTable';
import { useFilters } from '../shared/filters';
import { Page } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { OrganisationDetail } from './OrganisationDetail';
import { QuotaBar } from './QuotaBar';
import { type Branch, type Organisation, organisationsOptions, quotasOptions, tree } from './organisations';

const MOST_BARS = 60;

export default function OrganisationsPage() {
  const all = useQuery(organisationsOptions);
  const [params, set] = useFilters();
  const search = params.get('search') ?? '';
  const chosen = params.get('organisation');
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
      <Query query={all} rows={12}>
        {(organisations) => {
          const branches = tree(organisations, search);
          const open = organisations.find((each) => each.slug === chosen);
          return (
            <Box
              sx={{
                display: 'grid',
                gridTemplateColumns: {
                  xs: 'minmax(0, 1fr)',
                  lg: open ? 'minmax(0, 1fr) 440px' : 'minmax(0, 1fr)',
                },
                gap: 4,
              }}
            >
              {branches.length ? (
                <Tree
                  branches={branches}
                  open={chosen}
                  onOpen={(slug) => set('organisation', slug === chosen ? '' : slug)}
                />
              ) : (
                <Empty title="No organisation has that in its name">Search for something else.</Empty>
              )}
              {open && (
                <OrganisationDetail
                  key={open.slug}
                  organisation={open}
                  all={organisations}
                  onClose={() => set('organisation', '')}
                />
              )}
            </Box>
          );
        }}
      </Query>
    </Page>
  );
}

function Tree({
  branches,
  open,
  onOpen,
}: {
  branches: Branch[];
  open: string | null;
  onOpen: (slug: string) => void;
}) {
  const shown = branches.slice(0, MOST_BARS).map((branch) => branch.organisation.slug);
  const quotas = useQueries({ queries: shown.map((slug) => quotasOptions(slug)) });
  const bar = (organisation: Organisation, measure: string) => {
    const found = quotas[shown.indexOf(organisation.slug)]?.data;
    const quota = found?.find((each) => each.measure === measure && each.project === null);
    return quota ? <QuotaBar quota={quota} /> : null;
  };
  const figures = open === null;
  return (
    <DataTable
      name="tree"
      label="Organisations"
      rows={branches}
      rowKey={(branch) => branch.organisation.slug}
      selected={open}
      onOpen={(branch) => onOpen(branch.organisation.slug)}
      columns={[
        {
          key: 'name',
          title: 'Organisation',
          cell: ({ organisation, depth }) => (
            <Box sx={{ display: 'flex', alignItems: 'stretch', minHeight: 36 }}>
              {Array.from({ length: depth }, (_, index) => (
                <Box
                  key={index}
                  sx={{
                    width: 18,
                    borderLeft: '2px solid',
                    borderColor: index === depth - 1 ? 'neutral' : 'hairline',
                  }}
                />
              ))}
              <Box sx={{ alignSelf: 'center', fontWeight: organisation.type === 'tenant' ? 450 : 620 }}>
                {organisation.name}
              </Box>
            </Box>
          ),
        },
        { key: 'type', title: 'Type', cell: ({ organisation }) => organisation.type },
        ...(figures
          ? [
              {
                key: 'processors',
                title: 'Processors',
                cell: ({ organisation }: Branch) => bar(organisation, 'processors'),
              },
              {
                key: 'storage',
                title: 'Storage',
                cell: ({ organisation }: Branch) => bar(organisation, 'storage'),
              },
            ]
          : []),
        { key: 'country', title: 'Country', cell: ({ organisation }) => organisation.country },
        { key: 'currency', title: 'Billed in', cell: ({ organisation }) => organisation.currency },
        ...(figures
          ? [
              {
                key: 'zone',
                title: 'Billing zone',
                cell: ({ organisation }: Branch) => organisation.billing_zone,
              },
            ]
          : []),
      ]}
    />
  );
}
