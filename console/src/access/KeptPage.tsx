/** What the service keeps, and for how long. */
import { useQuery } from '@tanstack/react-query';
import { api, body } from '../shared/api';
import { DataTable } from '../shared/DataTable';
import { Page } from '../shared/Page';
import { Query } from '../shared/States';
import { counted } from '../shared/units';
import { MonthsKept } from './MonthsKept';
import { useSignedIn } from './session';

export default function KeptPage() {
  const { home } = useSignedIn();
  const kept = useQuery({
    queryKey: ['retentions'],
    queryFn: async () => body(await api.GET('/api/v1/retentions')).items,
    staleTime: Infinity,
  });
  return (
    <Page title="What is kept" lead="How long the service keeps each kind of data, the same for everybody.">
      <Query query={kept}>
        {(found) => (
          <DataTable
            name="kept"
            label="What is kept"
            rows={found}
            rowKey={(row) => row.kind}
            columns={[
              { key: 'kind', title: 'Data', cell: (row) => row.kind },
              { key: 'days', title: 'Kept', width: 110, cell: (row) => daysWords(row.days) },
              { key: 'since', title: 'Since when, or why', cell: (row) => row.since },
            ]}
          />
        )}
      </Query>
      {home.type === 'provider' && <MonthsKept />}
    </Page>
  );
}

export function daysWords(days: number | null): string {
  if (days === null) return 'always';
  return days === 0 ? 'no longer' : counted(days, 'day');
}
