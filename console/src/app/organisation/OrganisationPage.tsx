/** One organisation: what it is, and in tabs its quotas, subscriptions, projects, people, usage, spend and documents. */
import { Box, Tab, Tabs } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Suspense, lazy, type ReactNode } from 'react';
import { Link, useLocation, useParams } from 'react-router';
import { useSignedIn } from '../../access/session';
import { StateMark } from '../../organisations/StateMark';
import { type Organisation, organisationOptions } from '../../organisations/organisations';
import { type Crumb, Page, Within } from '../../shared/Page';
import { Empty, Failed, Loading } from '../../shared/States';
import { Slug } from '../../shared/Slug';
import { countryName } from '../../shared/world';
import { Subscriptions } from '../../subscriptions/Subscriptions';
import { Details } from './Details';
import { People } from './People';
import { Projects } from './Projects';
import { Quotas } from './Quotas';
import { Summary } from './Summary';

const UsagePage = lazy(() => import('../../metering/UsagePage'));
const SpendPage = lazy(() => import('../../spend/SpendPage'));
const InvoicesPage = lazy(() => import('../../billing/InvoicesPage'));

const TABS: Record<string, { title: string; shows: (organisation: Organisation) => ReactNode }> = {
  summary: { title: 'Summary', shows: (organisation) => <Summary organisation={organisation} /> },
  details: { title: 'Details', shows: (organisation) => <Details organisation={organisation} /> },
  quotas: { title: 'Quotas', shows: (organisation) => <Quotas organisation={organisation} /> },
  subscriptions: {
    title: 'Subscriptions',
    shows: (organisation) => <Subscriptions organisation={organisation} />,
  },
  projects: { title: 'Projects', shows: (organisation) => <Projects organisation={organisation} /> },
  people: { title: 'People', shows: (organisation) => <People organisation={organisation} /> },
  usage: { title: 'Usage', shows: () => <UsagePage /> },
  spend: { title: 'Spend', shows: () => <SpendPage /> },
  invoices: { title: 'Invoices', shows: () => <InvoicesPage /> },
};

export default function OrganisationPage() {
  const { slug = '', tab = 'summary' } = useParams();
  const { search } = useLocation();
  const query = useQuery(organisationOptions(slug));
  const crumbs = useCrumbs(query.data);
  if (query.isError)
    return (
      <Page title="Organisation" crumbs={[{ to: '/organisations', title: 'Organisations' }]}>
        <Failed error={query.error} retry={() => void query.refetch()} />
      </Page>
    );
  if (!query.data)
    return (
      <Page title={slug}>
        <Loading />
      </Page>
    );
  const organisation = query.data;
  const shown = TABS[tab];
  const kept = new URLSearchParams(search);
  for (const name of [...kept.keys()]) if (name !== 'period') kept.delete(name);
  return (
    <Page
      title={organisation.name}
      crumbs={crumbs}
      lead={
        <Box
          component="span"
          sx={{ display: 'inline-flex', flexWrap: 'wrap', gap: 1.5, alignItems: 'center' }}
        >
          <Slug>{organisation.slug}</Slug>
          <StateMark state={organisation.state} />
          <span>{described(organisation)}</span>
        </Box>
      }
    >
      <Tabs
        value={shown ? tab : false}
        aria-label={organisation.name}
        variant="scrollable"
        scrollButtons="auto"
        sx={{ borderBottom: '1px solid', borderColor: 'divider', minHeight: 38, mb: 2 }}
      >
        {Object.entries(TABS).map(([key, each]) => (
          <Tab
            key={key}
            value={key}
            id={`tab-${key}`}
            aria-controls="tab-panel"
            label={each.title}
            component={Link}
            to={{
              pathname: `/organisations/${slug}${key === 'summary' ? '' : `/${key}`}`,
              search: kept.toString(),
            }}
            sx={{ minHeight: 38, minWidth: 0, px: 1.5 }}
          />
        ))}
      </Tabs>
      <Within value>
        <Box role="tabpanel" id="tab-panel" aria-labelledby={shown ? `tab-${tab}` : undefined}>
          <Suspense fallback={<Loading />}>
            {shown ? (
              shown.shows(organisation)
            ) : (
              <Empty title="This address leads nowhere">Choose one of the tabs.</Empty>
            )}
          </Suspense>
        </Box>
      </Within>
    </Page>
  );
}

/** What it is, in a line. */
function described({ type, country, currency, billing_zone, segment, cost_centre }: Organisation): string {
  const more = [segment && `segment ${segment}`, cost_centre && `cost centre ${cost_centre}`].filter(Boolean);
  return [type, countryName(country), `billed in ${currency}`, `months of ${billing_zone}`, ...more].join(
    ' · ',
  );
}

/** Those above it, as far as one sees them. */
function useCrumbs(organisation: Organisation | undefined): Crumb[] {
  const { home } = useSignedIn();
  const parent = organisation?.parent ?? null;
  const seller = useQuery({ ...organisationOptions(parent ?? ''), enabled: parent !== null }).data;
  const above = seller?.parent ?? null;
  const supplier = useQuery({ ...organisationOptions(above ?? ''), enabled: above !== null }).data;
  if (!organisation || organisation.slug === home.organisation) return [];
  return [
    { to: '/organisations', title: 'Organisations' },
    ...[supplier, seller].flatMap((each) =>
      each ? [{ to: `/organisations/${each.slug}`, title: each.name }] : [],
    ),
  ];
}
