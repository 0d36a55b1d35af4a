/** An organisation at a glance: the figures that matter, where it stands in the chain, and what can be done for it. */
import { Box, Button, Link } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { useSignedIn } from '../../access/session';
import { CloudAccounts } from '../../organisations/CloudAccounts';
import { OrganisationDialog } from '../../organisations/OrganisationDialog';
import { QuotaBars } from '../../organisations/QuotaBars';
import {
  type Organisation,
  organisationOptions,
  organisationsOptions,
  projectsOptions,
} from '../../organisations/organisations';
import { formatCount, formatMoney } from '../../shared/decimal';
import { nextMonth, periodName } from '../../shared/dates';
import { Section } from '../../shared/Page';
import { Query } from '../../shared/States';
import { spendOptions } from '../../spend/spending';
import { subscriptionsOptions } from '../../subscriptions/subscriptions';

const SHOWN = 12;

export function Summary({ organisation }: { organisation: Organisation }) {
  const { may, mayAt } = useSignedIn();
  const own = mayAt('manage subscriptions', organisation.slug);
  const [adding, setAdding] = useState(false);
  const sells = organisation.type !== 'tenant';
  const manages = may('manage organisations');
  return (
    <>
      {manages && sells && own && (
        <Button
          component={RouterLink}
          variant="outlined"
          sx={{ mb: 2.5 }}
          to={`/onboardings/new?organisation=${organisation.slug}`}
        >
          Add a customer
        </Button>
      )}
      {manages && sells && !own && (
        <Button variant="outlined" sx={{ mb: 2.5 }} onClick={() => setAdding(true)}>
          Add a customer
        </Button>
      )}
      <Figures organisation={organisation} />
      <Box sx={{ display: 'grid', gridTemplateColumns: { xs: '1fr', md: '1fr 1fr' }, columnGap: 5 }}>
        <Section title="Quotas" aside={<To organisation={organisation} tab="quotas" />}>
          <QuotaBars organisation={organisation.slug} sells={sells} />
        </Section>
        <Section title={sells ? 'Sells to' : 'Buys from'}>
          {sells ? <Customers organisation={organisation} /> : <Seller organisation={organisation} />}
        </Section>
      </Box>
      {(mayAt('read', organisation.slug) || mayAt('read', organisation.parent)) && (
        <CloudAccounts organisation={organisation.slug} />
      )}
      {adding && <OrganisationDialog parent={organisation} onClose={() => setAdding(false)} />}
    </>
  );
}

const To = ({ organisation, tab }: { organisation: Organisation; tab: string }) => (
  <Link component={RouterLink} to={`/organisations/${organisation.slug}/${tab}`} sx={{ fontSize: '0.84rem' }}>
    All
  </Link>
);

/** What the month comes to, what it has, and how much of it: each leads on. */
function Figures({ organisation }: { organisation: Organisation }) {
  const { home, session } = useSignedIn();
  const month = session.now.slice(0, 7);
  const asked = {
    organisation: organisation.slug,
    side: 'bought' as const,
    from: `${month}-01`,
    to: nextMonth(month),
    only: [],
  };
  const own = home.organisation === organisation.slug;
  const bought = organisation.type !== 'provider';
  const spend = useQuery({ ...spendOptions(asked, ['service']), enabled: bought, retry: false });
  const subscriptions = useQuery(subscriptionsOptions(organisation.slug));
  const projects = useQuery(projectsOptions(organisation.slug));
  const base = `/organisations/${organisation.slug}`;
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 6, rowGap: 2, mb: 3 }}>
      {bought && spend.data && (
        <Figure
          title={`${periodName(month)} so far, ${own ? 'net' : 'net, at your prices'}`}
          to={`${base}/spend`}
        >
          {spend.data.currencies.length
            ? spend.data.currencies
                .map((each) => `${formatMoney(each.total.amount, each.currency)} ${each.currency}`)
                .join(' + ')
            : 'nothing'}
        </Figure>
      )}
      {subscriptions.data && (
        <Figure title="Subscriptions" to={`${base}/subscriptions`}>
          {formatCount(subscriptions.data.length)}
        </Figure>
      )}
      {projects.data && (
        <Figure title="Projects" to={`${base}/projects`}>
          {formatCount(projects.data.length)}
        </Figure>
      )}
      {organisation.children > 0 && (
        <Figure title="Customers" to="/organisations">
          {formatCount(organisation.children)}
        </Figure>
      )}
    </Box>
  );
}

function Figure({ title, to, children }: { title: string; to: string; children: ReactNode }) {
  return (
    <Link
      component={RouterLink}
      to={to}
      color="inherit"
      underline="none"
      sx={{ '&:hover > :last-child': { textDecoration: 'underline' } }}
    >
      <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>{title}</Box>
      <Box sx={{ fontSize: '1.3rem', fontWeight: 600, fontVariantNumeric: 'tabular-nums' }}>{children}</Box>
    </Link>
  );
}

function Customers({ organisation }: { organisation: Organisation }) {
  const customers = useQuery(organisationsOptions({ parent: organisation.slug, limit: SHOWN }));
  return (
    <Query query={customers} rows={3}>
      {({ items }) => (
        <Box component="ul" sx={{ m: 0, p: 0, listStyle: 'none', fontSize: '0.9rem', lineHeight: 2 }}>
          {items.map((each) => (
            <li key={each.slug}>
              <Link component={RouterLink} to={`/organisations/${each.slug}`}>
                {each.name}
              </Link>{' '}
              <Box component="span" sx={{ color: 'text.secondary' }}>
                {each.type}
              </Box>
            </li>
          ))}
          {!items.length && (
            <Box component="li" sx={{ color: 'text.secondary' }}>
              Nobody yet.
            </Box>
          )}
          {organisation.children > items.length && (
            <Box component="li" sx={{ color: 'text.secondary' }}>
              and {formatCount(organisation.children - items.length)} more
            </Box>
          )}
        </Box>
      )}
    </Query>
  );
}

function Seller({ organisation }: { organisation: Organisation }) {
  const { parent } = organisation;
  const seller = useQuery({ ...organisationOptions(parent ?? ''), enabled: parent !== null });
  if (!seller.data)
    return (
      <Box sx={{ color: 'text.secondary', fontSize: '0.9rem' }}>Its seller is named on its invoices.</Box>
    );
  return (
    <Link component={RouterLink} to={`/organisations/${seller.data.slug}`} sx={{ fontSize: '0.9rem' }}>
      {seller.data.name}
    </Link>
  );
}
