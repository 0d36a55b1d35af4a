/** Usage that is sold and not charged: whose, of which resources, why, and where that is mended. */
import { Link } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { Resources } from '../metering/Resources';
import type { Schemas } from '../shared/api';
import { DataTable } from '../shared/DataTable';
import { Section } from '../shared/Page';
import { Query } from '../shared/States';
import { quantityIn } from '../shared/units';
import { isNothing, notPricedOptions } from './feedBalances';

type Row = Schemas['NotPricedUsageBody'];

export function NotPriced({ organisation, period }: { organisation: string; period: string }) {
  const rows = useQuery(notPricedOptions(organisation, period));
  return (
    <Query query={rows} rows={2}>
      {({ items }) =>
        items.length > 0 && (
          <Section title="Used and not charged">
            <DataTable
              name="not priced"
              label="Used and not charged"
              rows={items}
              rowKey={(row) => JSON.stringify([row.meter, row.reason, row.organisation, row.attributes])}
              columns={[
                { key: 'meter', title: 'Meter', cell: (row) => row.meter_name },
                { key: 'whose', title: 'Whose', cell: (row) => row.organisation_name },
                {
                  key: 'resources',
                  title: 'Resources',
                  cell: (row) => <Resources count={row.resources} examples={row.examples} />,
                },
                {
                  key: 'quantity',
                  title: 'Quantity',
                  number: true,
                  cell: (row) => (isNothing(row.quantity) ? '' : quantityIn(row.quantity, row.unit)),
                },
                { key: 'why', title: 'Why', cell: why },
              ]}
            />
          </Section>
        )
      }
    </Query>
  );
}

/** Why nothing is charged, leading to where that is mended. */
function why({ reason, attributes, organisation }: Row) {
  const said = Object.entries(attributes).map(([name, value]) => `${name} ${value}`);
  const reasons: Record<string, [string, string]> = {
    'no rate': ['/rate-cards', `no rate prices it${said.length ? ` with ${said.join(', ')}` : ''}`],
    'no limit': [`/organisations/${organisation}/quotas`, 'there is no limit to charge'],
  };
  const [to, words] = reasons[reason] ?? [
    `/organisations/${organisation}/subscriptions`,
    'no subscription takes it',
  ];
  return (
    <Link component={RouterLink} to={to}>
      {words}
    </Link>
  );
}
