/** Sites: what there is at one's own of each measure, what of it is promised and left; and those that one may use. */
import { Box, Button } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useSignedIn } from '../access/session';
import { api } from '../shared/api';
import { Bar } from '../shared/Bar';
import { compare, formatQuantity, share, subtract, sum } from '../shared/decimal';
import { type Column, DataTable } from '../shared/DataTable';
import { useFilters } from '../shared/filters';
import { Page, Section } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { useToast } from '../shared/Toasts';
import { formatUnit } from '../shared/units';
import { measureName } from './organisations';
import { PoolDays } from './PoolDays';
import { PoolDialog, SiteDialog } from './SiteDialogs';
import { type Pool, type Site, poolsOptions, sitesOptions } from './sites';

type Doing = { kind: 'site'; site: Site | null } | { kind: 'pool'; site: Site; pool: Pool | null };

export default function SitesPage() {
  const { home, mayAt } = useSignedIn();
  const sites = useQuery(sitesOptions(home.organisation));
  const pools = useQuery({ ...poolsOptions(home.organisation), enabled: home.type !== 'tenant' });
  const [doing, setDoing] = useState<Doing | null>(null);
  const manages = mayAt('manage organisations', home.organisation);
  const add = manages && (
    <Button variant="contained" size="medium" onClick={() => setDoing({ kind: 'site', site: null })}>
      Register a site
    </Button>
  );
  const close = () => setDoing(null);
  return (
    <Page
      title="Sites"
      lead={`Where ${home.name} has capacity, what of it is promised, and where else it may be.`}
      action={sites.data?.length ? add : undefined}
    >
      <Query query={sites}>
        {(found) =>
          found.length ? (
            found.map((site) => (
              <OneSite
                key={site.id}
                site={site}
                pools={(pools.data ?? []).filter((each) => each.site === site.id)}
                onDo={manages && site.own ? setDoing : undefined}
              />
            ))
          ) : (
            <Empty title="No site yet">
              <p>With sites, limits can be given at each, and no more is promised there than there is.</p>
              {add}
            </Empty>
          )
        }
      </Query>
      {doing?.kind === 'site' && (
        <SiteDialog organisation={home.organisation} site={doing.site} onClose={close} />
      )}
      {doing?.kind === 'pool' && (
        <PoolDialog
          organisation={home.organisation}
          sites={sites.data ?? []}
          site={doing.site}
          pool={doing.pool}
          onClose={close}
        />
      )}
    </Page>
  );
}

interface OneProps {
  site: Site;
  pools: Pool[];
  onDo: ((doing: Doing) => void) | undefined;
}

function OneSite({ site, pools, onDo }: OneProps) {
  const retire = useRetire('site');
  const [params, set] = useFilters();
  const open = params.get('pool');
  const acts = onDo && (
    <Box sx={{ display: 'flex', gap: 0.5, flexWrap: 'wrap' }}>
      <Button
        aria-label={`Add a pool at ${site.name}`}
        onClick={() => onDo({ kind: 'pool', site, pool: null })}
      >
        Add a pool
      </Button>
      <Button aria-label={`Change ${site.name}`} onClick={() => onDo({ kind: 'site', site })}>
        Change
      </Button>
      <Button
        aria-label={`Retire ${site.name}`}
        loading={retire.isPending}
        onClick={() => retire.mutate({ id: site.id, said: `No limits are given at ${site.name} any more.` })}
      >
        Retire
      </Button>
    </Box>
  );
  return (
    <Section title={site.name} aside={acts}>
      <Box sx={{ color: 'text.secondary', fontSize: '0.86rem', mb: 1 }}>
        {[site.slug, site.place, `clocks of ${site.zone}`].filter(Boolean).join(' · ')}
      </Box>
      {pools.length > 0 && (
        <DataTable
          name={`pools-${site.slug}`}
          label={`Pools at ${site.name}`}
          rows={pools}
          rowKey={(row) => row.id}
          selected={open}
          onOpen={(row) => set('pool', row.id === open ? '' : row.id)}
          detail={(row) => <PoolDays pool={row} />}
          columns={columns(site, onDo)}
        />
      )}
      {site.own && !pools.length && (
        <Box sx={{ fontSize: '0.9rem' }}>Nothing bounds what is promised here: it has no pools yet.</Box>
      )}
    </Section>
  );
}

function columns(site: Site, onDo: OneProps['onDo']): Column<Pool>[] {
  return [
    {
      key: 'name',
      title: 'Pool',
      cell: (row) => (
        <>
          {row.name}
          {row.set_aside_for && (
            <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>for {row.set_aside_for} alone</Box>
          )}
        </>
      ),
    },
    { key: 'measure', title: 'Measure', cell: (row) => measureName(row.measure) },
    {
      key: 'capacity',
      title: 'Capacity',
      number: true,
      cell: (row) =>
        `${formatQuantity(row.capacity)}${compare(row.factor, '1') > 0 ? ` × ${formatQuantity(row.factor)}` : ''} ${formatUnit(row.unit, row.capacity)}`,
    },
    { key: 'promised', title: 'Promised at the site', width: '28%', cell: (row) => <Promised pool={row} /> },
    { key: 'behind', title: 'Behind it', cell: (row) => row.behind ?? '' },
    {
      key: 'acts',
      title: '',
      cell: (row) => onDo && <PoolActs pool={row} onChange={() => onDo({ kind: 'pool', site, pool: row })} />,
    },
  ];
}

/** What is promised of all pools of the measure at the site, in words and as a bar; more than there is stands out in both. */
function Promised({ pool }: { pool: Pool }) {
  const whole = sum([pool.left, pool.at_site]);
  const over = compare(pool.left, '0') < 0;
  const unit = formatUnit(pool.unit, whole);
  const text = over
    ? `${formatQuantity(subtract('0', pool.left))} ${unit} more than there are`
    : `${formatQuantity(pool.at_site)} of ${formatQuantity(whole)} ${unit}`;
  const most = compare(whole, '0') > 0 ? share(pool.at_site, whole) : 1;
  return (
    <Box sx={{ minWidth: 150 }}>
      <Box sx={{ fontSize: '0.8rem', fontWeight: over ? 640 : undefined, mb: 0.25 }}>
        {over && '▲ '}
        {text}
      </Box>
      <Bar tone="quota" value={most} label={text} />
    </Box>
  );
}

function PoolActs({ pool, onChange }: { pool: Pool; onChange: () => void }) {
  const retire = useRetire('pool');
  return (
    <Box sx={{ display: 'flex', gap: 0.5, justifyContent: 'flex-end' }}>
      <Button aria-label={`Change ${pool.name}`} onClick={onChange}>
        Change
      </Button>
      <Button
        aria-label={`Retire ${pool.name}`}
        loading={retire.isPending}
        onClick={() => retire.mutate({ id: pool.id, said: `${pool.name} is not there any more.` })}
      >
        Retire
      </Button>
    </Box>
  );
}

function useRetire(kind: 'site' | 'pool') {
  const queries = useQueryClient();
  const say = useToast();
  return useMutation({
    mutationFn: async ({ id }: { id: string; said: string }) =>
      kind === 'site'
        ? api.DELETE('/api/v1/sites/{site}', { params: { path: { site: id } } })
        : api.DELETE('/api/v1/pools/{pool}', { params: { path: { pool: id } } }),
    onSuccess: async (_, { said }) => {
      await queries.invalidateQueries({ queryKey: ['sites'] });
      say(said);
    },
    onError: (problem) => say(problem.message),
  });
}
