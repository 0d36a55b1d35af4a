/** The way from an empty installation to a first document, step by step; what is done says so. */
import { Box, Button } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import { Link } from 'react-router';
import { taxRatesOptions } from '../billing/taxRates';
import { plansOptions } from '../catalogue/catalogue';
import { StarterDialog } from '../catalogue/StarterDialog';
import { deliveriesOptions, feedsOptions } from '../metering/metering';
import { organisationOptions, organisationsOptions, projectsOptions } from '../organisations/organisations';
import { Section } from '../shared/Page';
import { subscriptionsOptions } from '../subscriptions/subscriptions';

export default function FirstSteps({ organisation }: { organisation: string }) {
  const own = useQuery(organisationOptions(organisation));
  const plans = useQuery(plansOptions);
  const taxes = useQuery(taxRatesOptions(organisation));
  const customers = useQuery(organisationsOptions({ parent: organisation, limit: 1 }));
  const first = customers.data?.items[0]?.slug ?? '';
  const projects = useQuery({ ...projectsOptions(first), enabled: first !== '' });
  const subscriptions = useQuery({ ...subscriptionsOptions(first), enabled: first !== '' });
  const feeds = useQuery(feedsOptions(organisation));
  const feed = feeds.data?.[0]?.path ?? '';
  const deliveries = useQuery({ ...deliveriesOptions(feed), enabled: feed !== '' });
  const [starting, setStarting] = useState(false);
  const steps: { title: string; says: string; done: boolean; act: ReactNode }[] = [
    {
      title: 'A catalogue',
      says: 'What you offer and what it costs: begin with a small one, or write your own.',
      done: Boolean(plans.data?.length),
      act: (
        <>
          <Button variant="outlined" onClick={() => setStarting(true)}>
            Begin with a small one
          </Button>
          <Button component={Link} to="/unpublished-changes">
            Write my own
          </Button>
        </>
      ),
    },
    {
      title: 'A tax rate',
      says: 'What is put on documents to customers of your country.',
      done: Boolean(taxes.data?.length),
      act: <To to="/tax-rates">Set a rate</To>,
    },
    {
      title: 'A customer',
      says: 'Who buys: a tenant that uses services, or a reseller that sells on.',
      done: first !== '',
      act: <To to="/onboardings/new">Add a customer</To>,
    },
    {
      title: 'Its project and its subscription',
      says: 'A project owns what is used; a subscription says what that costs.',
      done: Boolean(projects.data?.length && subscriptions.data?.length),
      act: first ? (
        <>
          <To to={`/organisations/${first}/projects`}>Add a project</To>
          <Button component={Link} to={`/estimate?for=${first}`}>
            Compare tiers
          </Button>
        </>
      ) : null,
    },
    {
      title: 'First readings',
      says: 'What is used comes in through a feed: from a program, or as a file that you drop.',
      done: Boolean(deliveries.data?.some((each) => each.accepted)),
      act: <To to="/feeds">{feed ? 'Send a file' : 'Make a feed'}</To>,
    },
  ];
  const next = steps.findIndex((step) => !step.done);
  return (
    <Section title="The first steps">
      <Box component="ol" sx={{ listStyle: 'none', m: 0, p: 0, maxWidth: 760 }}>
        {steps.map((step, index) => (
          <Box
            component="li"
            key={step.title}
            sx={{ display: 'flex', gap: 2, py: 1.5, borderBottom: '1px solid', borderColor: 'hairline' }}
          >
            <Box
              sx={{
                width: 64,
                fontSize: '0.8rem',
                color: step.done ? 'primary.main' : 'text.secondary',
                pt: 0.25,
              }}
            >
              {step.done ? '✓ done' : index === next ? 'next' : 'then'}
            </Box>
            <Box sx={{ flex: 1 }}>
              <Box sx={{ fontWeight: 620 }}>{step.title}</Box>
              <Box sx={{ fontSize: '0.86rem', color: 'text.secondary' }}>{step.says}</Box>
            </Box>
            <Box sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>{!step.done && step.act}</Box>
          </Box>
        ))}
      </Box>
      <Box sx={{ fontSize: '0.86rem', color: 'text.secondary', mt: 2 }}>
        Then what the month comes to stands here, and when it is over a bill run makes the first draft.
      </Box>
      {starting && own.data && (
        <StarterDialog currency={own.data.currency} onClose={() => setStarting(false)} />
      )}
    </Section>
  );
}

const To = ({ to, children }: { to: string; children: ReactNode }) => (
  <Button variant="outlined" component={Link} to={to}>
    {children}
  </Button>
);
