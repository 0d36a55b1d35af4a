/** Plans with their tiers in columns, and the services they are made of. */
import { MenuItem, TextField } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useEffect } from 'react';
import { useSignedIn } from '../access/session';
import { DataTable } from '../shared/DataTable';
import { offersOptions } from './offers';
import { Plan } from './Plan';
import { useFilters } from '../shared/filters';
import { Page, Section } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import {
  type RateCard,
  type ServiceForm,
  plansOptions,
  rateCardsOptions,
  servicesOptions,
} from './catalogue';

/** How the readings of a meter become usage. */
const COMBINES: Record<string, string> = {
  sum: 'add up',
  level: 'a level, over time',
  held: 'a level, until the next',
};

export default function PlansPage() {
  const plans = useQuery(plansOptions);
  const services = useQuery(servicesOptions);
  const cards = useQuery(rateCardsOptions);
  const { home } = useSignedIn();
  const offers = useQuery({ ...offersOptions(home.organisation), enabled: home.type !== 'tenant' });
  const [params, set] = useFilters();
  const named = (card: RateCard) => `${card.seller}/${card.slug}`;
  const card =
    cards.data?.find((each) => named(each) === params.get('card')) ??
    cards.data?.find((each) => each.buyers === 'tenants') ??
    cards.data?.[0];
  const wanted = params.get('plan');
  const there = plans.isSuccess && cards.isSuccess;
  useEffect(() => {
    if (wanted && there) document.getElementById(`plan-${wanted}`)?.scrollIntoView();
  }, [wanted, there]);
  return (
    <Page
      title="What can be subscribed to"
      lead="Plans with their tiers in rising order; fees are those of the chosen rate card, in force today."
      filters={
        card && (
          <TextField
            select
            label="Fees by"
            value={named(card)}
            sx={{ minWidth: 230 }}
            onChange={(event) => set('card', event.target.value)}
          >
            {cards.data?.map((each) => (
              <MenuItem key={each.id} value={named(each)}>
                {each.name}
              </MenuItem>
            ))}
          </TextField>
        )
      }
    >
      <Query query={plans}>
        {(found) =>
          found.length ? (
            found.map((plan) => (
              <Plan
                key={`${plan.seller}/${plan.slug}`}
                published={plan}
                offer={offers.data?.find((each) => each.plan === plan.slug)}
                card={card}
              />
            ))
          ) : (
            <Empty title="No plans yet">
              Publish one from a file: <code>gradumen catalogue publish FILE</code>
            </Empty>
          )
        }
      </Query>
      <Query query={services}>
        {(found) => <Services services={found.map((service) => service.form as ServiceForm)} />}
      </Query>
    </Page>
  );
}

function Services({ services }: { services: ServiceForm[] }) {
  const rows = services.flatMap((service) =>
    Object.entries(service.meters).map(([slug, meter], index) => ({
      service,
      slug,
      meter,
      first: index === 0,
    })),
  );
  return (
    <Section title="Services and what is counted">
      <DataTable
        name="services"
        label="Services"
        rows={rows}
        rowKey={(row) => `${row.service.service}/${row.slug}`}
        columns={[
          { key: 'service', title: 'Service', cell: (row) => (row.first ? row.service.name : '') },
          { key: 'meter', title: 'Meter', cell: (row) => row.meter.name },
          { key: 'unit', title: 'Counted in', cell: (row) => row.meter.unit },
          {
            key: 'combine',
            title: 'Samples',
            cell: (row) => COMBINES[row.meter.combine],
          },
          {
            key: 'attributes',
            title: 'Price can depend on',
            cell: (row) =>
              row.first
                ? Object.entries({
                    ...row.service.attributes,
                    ...(row.service.phases?.length ? { phase: row.service.phases } : {}),
                  })
                    .map(([name, values]) => `${name} (${values.join(', ')})`)
                    .join('; ')
                : '',
          },
          { key: 'category', title: 'Category', cell: (row) => (row.first ? row.service.subcategory : '') },
        ]}
      />
    </Section>
  );
}
