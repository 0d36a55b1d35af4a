/** What of a resource is charged with a composite, or as its components, on the links that one buys or sells by. */
import { Link as TextLink } from '@mui/material';
import { queryOptions, useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { useKept } from '../access/figures';
import { useSignedIn } from '../access/session';
import { api, body, type Schemas } from '../shared/api';
import { againWhileWaiting } from '../shared/current';
import { Grid, textColumn } from '../shared/Grid';
import { Section } from '../shared/Page';
import { quantityIn } from '../shared/units';
import { resourcePath } from './metering';

type Together = Schemas['CompositeUsageBody'];

const compositesOptions = (organisation: string, period: string, resource: string) =>
  queryOptions({
    queryKey: ['composites', organisation, period, resource],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/composites', {
          params: { path: { organisation }, query: { period, resource, limit: 2000 } },
        }),
      ),
    refetchInterval: againWhileWaiting,
  });

/** What is charged in place of something that is not charged by itself. */
export const insteadWords = ({
  charged_as,
  composite,
}: Pick<Together, 'charged_as' | 'composite'>): string =>
  charged_as === 'whole' ? composite : `components of ${composite}`;

export function ChargedTogether({ period, name }: { period: string; name: string }) {
  const { home, may } = useSignedIn();
  const kept = useKept();
  const found = useQuery({
    ...compositesOptions(home.organisation, period, name),
    enabled: may('read money'),
  });
  const items = found.data?.items ?? [];
  if (!items.length) return null;
  const linked = (resource: string, words: string) =>
    resource === name ? (
      words
    ) : (
      <TextLink component={Link} to={resourcePath(kept, resource)}>
        {words}
      </TextLink>
    );
  return (
    <Section title="Not charged by itself">
      <Grid
        name="together"
        label="Not charged by itself"
        rows={items}
        rowKey={(row: Together) =>
          `${row.seller} ${row.buyer} ${row.organisation} ${row.composite} ${row.resource} ${row.meter}`
        }
        count={items.length}
        columns={[
          {
            ...textColumn('what', 'Resource', (row: Together) => row.resource, { flex: 2 }),
            cell: (row: Together) => linked(row.resource, row.resource),
          },
          textColumn('meter', 'Used', (row: Together) => row.meter_name, { flex: 2 }),
          textColumn('quantity', 'Quantity', (row: Together) => quantityIn(row.quantity, row.unit), {
            flex: 2,
          }),
          textColumn('hours', 'In hours', (row: Together) => `${row.hours}`, { flex: 1 }),
          {
            ...textColumn('instead', 'Charged is', insteadWords, { flex: 2 }),
            cell: (row: Together) => linked(row.composite, insteadWords(row)),
          },
          textColumn('link', 'Sold', (row: Together) => `by ${row.seller} to ${row.buyer}`, { flex: 3 }),
        ]}
      />
    </Section>
  );
}
