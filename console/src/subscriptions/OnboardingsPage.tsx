/** Whom a seller brings on board: drafts, what waits, and what became of them; and what waits at all. */
import { Box, Button } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Link, useNavigate } from 'react-router';
import { useSignedIn } from '../access/session';
import { type Column, DataTable } from '../shared/DataTable';
import { momentName } from '../shared/dates';
import { FilterChoice } from '../shared/FilterChoice';
import { useFilters } from '../shared/filters';
import { Page } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { OnboardingPolicies } from './OnboardingPolicies';
import { type Onboarding, calls, howFar, monthlyWords, onboardingsOptions, stateWords } from './onboardings';

const STATES: Onboarding['state'][] = [
  'draft',
  'waiting',
  'running',
  'done',
  'refused',
  'withdrawn',
  'undone',
];

const COLUMNS: Column<Onboarding>[] = [
  {
    key: 'customer',
    title: 'Customer',
    cell: (row) => row.wanted.name || <Box sx={{ color: 'text.secondary' }}>no name yet</Box>,
  },
  {
    key: 'state',
    title: 'State',
    cell: (row) => (
      <Box component="span" sx={calls(row) ? { color: 'warning.main', fontWeight: 560 } : {}}>
        {howFar(row)}
      </Box>
    ),
  },
  { key: 'why', title: 'Why', cell: (row) => row.waits_because ?? row.task?.problem ?? row.answer ?? '' },
  { key: 'monthly', title: 'A month', number: true, cell: (row) => monthlyWords(row.monthly) },
  { key: 'by', title: 'Changed by', cell: (row) => row.changed_by },
  { key: 'at', title: 'At, UTC', whole: true, cell: (row) => momentName(row.changed_at) },
];

export default function OnboardingsPage() {
  const { home, mayAt } = useSignedIn();
  const navigate = useNavigate();
  const [params, set] = useFilters();
  const state = (params.get('state') ?? '') as Onboarding['state'] | '';
  const found = useQuery(onboardingsOptions(home.organisation, state || null));
  return (
    <Page
      title="New customers"
      lead={`Whom ${home.name} brings on board: drafts, what waits for approval, and what became of them.`}
      filters={
        <FilterChoice
          label="State"
          none="any"
          value={state}
          onChange={(value) => set('state', value)}
          options={STATES.map((each) => [each, stateWords(each)] as const)}
        />
      }
      action={
        mayAt('manage subscriptions', home.organisation) && (
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
      <Query query={found}>
        {({ items }) =>
          items.length ? (
            <DataTable
              name="onboardings"
              label="New customers"
              columns={COLUMNS}
              rows={items.toSorted((one, other) => Number(!calls(one)) - Number(!calls(other)))}
              rowKey={(row) => row.id}
              onOpen={(row) => void navigate(`/onboardings/${row.id}`)}
            />
          ) : (
            <Empty title={state ? 'None is in that state' : 'Nobody is being brought on board'}>
              Drafts of new customers stand here, and those that wait for an administrator.
            </Empty>
          )
        }
      </Query>
      <Box sx={{ mt: 4 }}>
        <OnboardingPolicies seller={home} />
      </Box>
    </Page>
  );
}
