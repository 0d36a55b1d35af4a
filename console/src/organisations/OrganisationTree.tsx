/** Organisations as rows of a tree, with what they have of their quotas. */
import { Box } from '@mui/material';
import { useQueries } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { DataTable } from '../shared/DataTable';
import { RowLink } from '../shared/RowLink';
import { countryName } from '../shared/world';
import { StateMark } from './StateMark';
import { QuotaBar } from './QuotaBar';
import { type Branch, type Organisation, quotasOptions } from './organisations';

const MOST_BARS = 60;

export function OrganisationTree({
  branches,
  onOpen,
  twig,
}: {
  branches: Branch[];
  onOpen: (slug: string) => void;
  /** What stands before a name, to open and close what is under it. */
  twig?: (organisation: Organisation) => ReactNode;
}) {
  const shown = branches.slice(0, MOST_BARS).map((branch) => branch.organisation.slug);
  const quotas = useQueries({ queries: shown.map((slug) => quotasOptions(slug)) });
  const bar = (organisation: Organisation, measure: string) => {
    const found = quotas[shown.indexOf(organisation.slug)]?.data;
    const quota = found?.find((each) => each.measure === measure && each.project === null);
    return quota ? <QuotaBar quota={quota} sells={organisation.type !== 'tenant'} brief /> : null;
  };
  return (
    <DataTable
      name="tree"
      label="Organisations"
      rows={branches}
      rowKey={(branch) => branch.organisation.slug}
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
              {twig?.(organisation)}
              <Box sx={{ alignSelf: 'center', fontWeight: organisation.type === 'tenant' ? 450 : 620 }}>
                <RowLink to={`/organisations/${organisation.slug}`}>{organisation.name}</RowLink>{' '}
                <StateMark state={organisation.state} />
              </Box>
            </Box>
          ),
        },
        { key: 'type', title: 'Type', cell: ({ organisation }) => organisation.type },
        {
          key: 'processors',
          title: 'Processors, passed on',
          cell: ({ organisation }) => bar(organisation, 'processors'),
        },
        {
          key: 'storage',
          title: 'Storage, passed on',
          cell: ({ organisation }) => bar(organisation, 'storage'),
        },
        { key: 'country', title: 'Country', cell: ({ organisation }) => countryName(organisation.country) },
        { key: 'currency', title: 'Billed in', cell: ({ organisation }) => organisation.currency },
        { key: 'zone', title: 'Billing zone', cell: ({ organisation }) => organisation.billing_zone },
      ]}
    />
  );
}
