/** Hosts of a cloud: what each has, hands out and has in use, and how that went day by day. */
import { Box, Button, TextField } from '@mui/material';
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useParams } from 'react-router';
import { useSignedIn } from '../access/session';
import { api, body } from '../shared/api';
import { Bar } from '../shared/Bar';
import { momentName } from '../shared/dates';
import { compare, formatCount, formatQuantity, share, subtract } from '../shared/decimal';
import { type Column, DataTable } from '../shared/DataTable';
import { useFilters } from '../shared/filters';
import { Page, Section } from '../shared/Page';
import { useSettled } from '../shared/settled';
import { Empty, Failed, Loading, Query } from '../shared/States';
import { useToast } from '../shared/Toasts';
import { formatUnit } from '../shared/units';
import { type Cloud, cloudsOptions } from './clouds';
import { HostDays, TogetherDays } from './HostDays';
import { type Host, type Hosts, hostsOptions, resourceName } from './hosts';

export default function HostsPage() {
  const { slug = '' } = useParams();
  const { home } = useSignedIn();
  const clouds = useQuery(cloudsOptions(home.organisation));
  return (
    <Query query={clouds}>
      {(found) => {
        const cloud = found.find((each) => each.slug === slug && each.owner === home.organisation);
        return cloud ? (
          <OfOne cloud={cloud} />
        ) : (
          <Page title="Hosts" crumbs={[{ to: '/clouds', title: 'Clouds' }]}>
            <Empty title="There is no such cloud of yours">Only who registered a cloud sees its hosts.</Empty>
          </Page>
        );
      }}
    </Query>
  );
}

/** So long, in milliseconds, a look is waited for. */
const PATIENCE = 30_000;

function OfOne({ cloud }: { cloud: Cloud }) {
  const { mayAt } = useSignedIn();
  const [params, set] = useFilters();
  const search = useSettled(params.get('search') ?? '');
  const [awaited, setAwaited] = useState<{ at: string | null; until: number } | null>(null);
  const hosts = useInfiniteQuery({
    ...hostsOptions(cloud.id, search),
    refetchInterval: ({ state }) => {
      const known = state.data?.pages[0];
      const waits =
        awaited !== null && Date.now() < awaited.until && (known?.looked_at ?? null) === awaited.at;
      return waits ? 1000 : false;
    },
  });
  const first = hosts.data?.pages[0];
  const rows = hosts.data?.pages.flatMap((page) => page.items) ?? [];
  const chosen = params.get('host') ?? '';
  const look = mayAt('manage organisations', cloud.owner) && (
    <LookNow
      cloud={cloud}
      onLook={() => setAwaited({ at: first?.looked_at ?? null, until: Date.now() + PATIENCE })}
    />
  );
  return (
    <Page
      title={`Hosts of ${cloud.name}`}
      crumbs={[{ to: '/clouds', title: 'Clouds' }]}
      lead={first && lookedWords(first)}
      action={look}
    >
      {hosts.isError && <Failed error={hosts.error} retry={() => void hosts.refetch()} />}
      {hosts.isPending && <Loading />}
      {first?.problem && (
        <Box role="alert" sx={{ color: 'error.main', mb: 2 }}>
          ▲ The last look brought nothing: {first.problem}
        </Box>
      )}
      {first && !first.together.length && <Nothing hosts={first} />}
      {first && first.together.length > 0 && (
        <>
          <DataTable
            name="together"
            label="All hosts together"
            rows={first.together}
            rowKey={(row) => row.resource}
            columns={[
              { key: 'hosts', title: 'Hosts', number: true, cell: (row) => formatCount(row.hosts) },
              ...figures,
            ]}
          />
          <TogetherDays cloud={cloud.id} look={first.looked_at ?? ''} />
          <Section
            title="Host by host"
            aside={
              <TextField
                label="Host or resource has"
                value={params.get('search') ?? ''}
                onChange={(event) => set('search', event.target.value)}
                sx={{ width: 220 }}
              />
            }
          >
            {rows.length ? (
              <DataTable
                name="hosts"
                label="Hosts"
                rows={rows}
                rowKey={keyOf}
                selected={chosen}
                onOpen={(row) => set('host', keyOf(row) === chosen ? '' : keyOf(row))}
                detail={(row) => (
                  <HostDays cloud={cloud.id} host={row.host} of={row.resource} look={first.looked_at ?? ''} />
                )}
                columns={[{ key: 'host', title: 'Host', cell: (row) => row.host }, ...figures]}
              />
            ) : (
              <Empty title="No host has this">Search for less.</Empty>
            )}
            {hosts.hasNextPage && (
              <Button
                sx={{ mt: 1 }}
                loading={hosts.isFetchingNextPage}
                onClick={() => void hosts.fetchNextPage()}
              >
                Show more
              </Button>
            )}
          </Section>
        </>
      )}
    </Page>
  );
}

function lookedWords({ looked_at: at, next_at: next }: Hosts): string {
  const later = next ? ` Looked at again at ${momentName(next)} UTC.` : '';
  return at ? `As of ${momentName(at)} UTC.${later}` : later.trim();
}

function Nothing({ hosts }: { hosts: Hosts }) {
  if (hosts.tells === false)
    return (
      <Empty title="This cloud does not tell of its hosts">
        It is asked again once a day. What it has to answer stands in the documents, under accounts in clouds.
      </Empty>
    );
  return (
    <Empty title={hosts.problem ? 'Nothing is known of its hosts yet' : 'Its hosts were not looked at yet'}>
      They are looked at every hour, and what they had is kept for each day.
    </Empty>
  );
}

function LookNow({ cloud, onLook }: { cloud: Cloud; onLook: () => void }) {
  const queries = useQueryClient();
  const say = useToast();
  const look = useMutation({
    mutationFn: async () =>
      body(await api.POST('/api/v1/clouds/{cloud}/hosts/look', { params: { path: { cloud: cloud.id } } })),
    onSuccess: async () => {
      onLook();
      say(`The hosts of ${cloud.name} are looked at.`);
      await queries.invalidateQueries({ queryKey: ['clouds', cloud.id] });
    },
    onError: (problem) => say(problem.message),
  });
  return (
    <Button variant="outlined" loading={look.isPending} onClick={() => look.mutate()}>
      Look now
    </Button>
  );
}

const keyOf = (row: Host) => `${row.resource}|${row.host}`;

const said = (row: Host, amount: string) =>
  `${formatQuantity(amount)}${row.unit ? ` ${formatUnit(row.unit, amount)}` : ''}`;

const figures: Column<Host>[] = [
  { key: 'resource', title: 'Of', cell: (row) => resourceName(row.resource, row.unit) },
  { key: 'total', title: 'Total', number: true, cell: (row) => said(row, row.total) },
  {
    key: 'reserved',
    title: 'Kept back',
    number: true,
    cell: (row) => (compare(row.reserved, '0') ? said(row, row.reserved) : ''),
  },
  {
    key: 'capacity',
    title: 'Handed out',
    number: true,
    cell: (row) =>
      `${said(row, row.capacity)}${row.factor !== null && compare(row.factor, '1') ? ` (× ${formatQuantity(row.factor)})` : ''}`,
  },
  { key: 'used', title: 'In use', width: '24%', cell: (row) => <InUse row={row} /> },
  {
    key: 'free',
    title: 'Free',
    number: true,
    order: (left, right) => compare(left.free, right.free),
    cell: (row) => said(row, row.free),
  },
];

/** What is in use of what is handed out, in words and as a bar; more than that stands out in both. */
function InUse({ row }: { row: Host }) {
  const over = compare(row.free, '0') < 0;
  const text = over
    ? `${said(row, row.used)}, ${said(row, subtract('0', row.free))} more than handed out`
    : said(row, row.used);
  return (
    <Box sx={{ minWidth: 130 }}>
      <Box sx={{ fontSize: '0.8rem', fontWeight: over ? 640 : undefined, mb: 0.25 }}>
        {over && '▲ '}
        {text}
      </Box>
      <Bar
        tone="quota"
        value={compare(row.capacity, '0') > 0 ? share(row.used, row.capacity) : compare(row.used, '0')}
        label={text}
      />
    </Box>
  );
}
