/** Clouds in which accounts of customers are made: registered, tried, shared with sellers below, retired. */
import { Box, Button } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useWatch } from 'react-hook-form';
import { Link } from 'react-router';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import { api, body } from '../shared/api';
import { type Column, DataTable } from '../shared/DataTable';
import { CheckInput, EntryDialog, Remark, TextInput, given, slug } from '../shared/form';
import { Names } from '../shared/Names';
import { Page } from '../shared/Page';
import { Slug } from '../shared/Slug';
import { Empty, Query } from '../shared/States';
import { useToast } from '../shared/Toasts';
import { type Cloud, cloudsOptions } from './clouds';
import { SetAsideInput } from './SetAsideInput';
import { sitesOptions } from './sites';

export default function CloudsPage() {
  const { home, mayAt } = useSignedIn();
  const clouds = useQuery(cloudsOptions(home.organisation));
  const [editing, setEditing] = useState<Cloud | 'new' | null>(null);
  const manages = mayAt('manage organisations', home.organisation);
  const add = manages && (
    <Button variant="contained" size="medium" onClick={() => setEditing('new')}>
      Register a cloud
    </Button>
  );
  const columns: Column<Cloud>[] = [
    { key: 'name', title: 'Cloud', cell: (row) => row.name },
    { key: 'slug', title: 'Slug', cell: (row) => <Slug>{row.slug}</Slug> },
    { key: 'place', title: 'Where', cell: (row) => row.site_name ?? row.place ?? '' },
    { key: 'endpoint', title: 'Address', cell: (row) => row.endpoint ?? `${row.owner_name}’s` },
    {
      key: 'shared',
      title: 'Used by',
      cell: (row) =>
        row.set_aside_for
          ? `${row.set_aside_for} alone`
          : row.shared
            ? 'you and sellers that buy from you'
            : home.name,
    },
    {
      key: 'acts',
      title: '',
      cell: (row) =>
        row.owner === home.organisation && (
          <Box sx={{ display: 'flex', gap: 0.5, justifyContent: 'flex-end' }}>
            <Button aria-label={`Hosts of ${row.name}`} component={Link} to={`/clouds/${row.slug}/hosts`}>
              Hosts
            </Button>
            {row.endpoint !== null && <Acts cloud={row} onChange={() => setEditing(row)} />}
          </Box>
        ),
    },
  ];
  return (
    <Page
      title="Clouds"
      lead={`Where ${home.name} has accounts of new customers made, or links those that are there.`}
      action={clouds.data?.length ? add : undefined}
    >
      <Query query={clouds}>
        {(found) =>
          found.length ? (
            <DataTable name="clouds" label="Clouds" rows={found} rowKey={(row) => row.id} columns={columns} />
          ) : (
            <Empty title="No cloud yet">
              <p>
                With one, a new customer has its account there by itself, before its people are invited and
                its tiers begin.
              </p>
              {add}
            </Empty>
          )
        }
      </Query>
      {editing && (
        <CloudDialog
          organisation={home.organisation}
          cloud={editing === 'new' ? null : editing}
          onClose={() => setEditing(null)}
        />
      )}
    </Page>
  );
}

function Acts({ cloud, onChange }: { cloud: Cloud; onChange: () => void }) {
  const queries = useQueryClient();
  const say = useToast();
  const path = { params: { path: { cloud: cloud.id } } };
  const trying = useMutation({
    mutationFn: async () => body(await api.POST('/api/v1/clouds/{cloud}/try', path)),
    onSuccess: ({ reached, said }) =>
      say(reached ? `${cloud.name} is reached: ${said}.` : `${cloud.name} is not reached: ${said}.`),
    onError: (problem) => say(problem.message),
  });
  const retire = useMutation({
    mutationFn: () => api.DELETE('/api/v1/clouds/{cloud}', path),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['clouds'] });
      say(`No new accounts are made in ${cloud.name}; those in it stay.`);
    },
    onError: (problem) => say(problem.message),
  });
  return (
    <>
      <Button aria-label={`Try ${cloud.name}`} loading={trying.isPending} onClick={() => trying.mutate()}>
        Try
      </Button>
      <Button aria-label={`Change ${cloud.name}`} onClick={onChange}>
        Change
      </Button>
      <Button aria-label={`Retire ${cloud.name}`} loading={retire.isPending} onClick={() => retire.mutate()}>
        Retire
      </Button>
    </>
  );
}

const schema = z.object({
  name: given('What people call it'),
  slug,
  place: z.string(),
  site: z.string(),
  endpoint: given('Where it is reached'),
  secret: z.string(),
  shared: z.boolean(),
  kind: z.enum(['account service', 'openstack identity']),
  set_aside_for: z.string(),
});

const KINDS = [
  ['account service', 'The account protocol that is documented here'],
  ['openstack identity', 'OpenStack identity service (v3)'],
] as const;

function Secret({ kept }: { kept: boolean }) {
  const kind = useWatch({ name: 'kind' }) as string;
  const openstack = kind === 'openstack identity';
  const sealed = kept ? 'Empty: it stays' : 'Kept sealed, and never shown again';
  return (
    <TextInput
      name="secret"
      label={openstack ? 'Application credential' : 'Token'}
      type="password"
      optional={kept}
      hint={openstack ? `ID:SECRET, of a user with the role admin. ${sealed}` : sealed}
    />
  );
}

function CloudDialog(props: { organisation: string; cloud: Cloud | null; onClose: () => void }) {
  const { organisation, cloud, onClose } = props;
  const queries = useQueryClient();
  const sites = useQuery(sitesOptions(organisation));
  const save = async ({ slug: own, secret, kind, ...rest }: z.infer<typeof schema>) => {
    const shared = {
      ...rest,
      place: rest.place.trim() || null,
      site: rest.site || null,
      set_aside_for: rest.set_aside_for || null,
    };
    if (cloud)
      body(
        await api.PATCH('/api/v1/clouds/{cloud}', {
          params: { path: { cloud: cloud.id } },
          body: { version: cloud.version, ...shared, ...(secret ? { secret } : {}) },
        }),
      );
    else
      body(
        await api.POST('/api/v1/organisations/{organisation}/clouds', {
          params: { path: { organisation } },
          body: { slug: own, kind, secret, ...shared },
        }),
      );
    await queries.invalidateQueries({ queryKey: ['clouds'] });
  };
  return (
    <EntryDialog
      title={cloud ? `Change ${cloud.name}` : 'A cloud in which accounts are made'}
      act={cloud ? 'Save' : 'Register it'}
      schema={schema}
      initial={{
        name: cloud?.name ?? '',
        slug: cloud?.slug ?? '',
        place: cloud?.place ?? '',
        site: cloud?.site ?? '',
        endpoint: cloud?.endpoint ?? '',
        secret: '',
        shared: cloud?.shared ?? false,
        kind: cloud?.kind ?? 'account service',
        set_aside_for: cloud?.set_aside_for ?? '',
      }}
      save={save}
      onClose={onClose}
    >
      {cloud ? <TextInput name="name" label="Name" /> : <Names hint="In files" columns={3} />}
      <TextInput
        name="site"
        label="Site"
        columns={3}
        optional
        hint="Only who may use it has accounts there"
        options={[
          ['', 'outside of all sites'],
          ...(sites.data ?? []).map((each) => [each.id, each.name] as const),
        ]}
      />
      <TextInput name="place" label="Place" columns={3} optional hint="For people" />
      {!cloud && <TextInput name="kind" label="What it speaks" options={KINDS} />}
      <TextInput name="endpoint" label="Address" hint="Your operator lists what may be called" />
      <Secret kept={cloud !== null} />
      <CheckInput name="shared" label="Sellers that buy from you may have accounts made there too" />
      <SetAsideInput owner={organisation} />
      <Remark>
        Its hosts are looked at every hour, where it tells of them. Else nothing is asked of it until you try
        it, or a customer comes on board with an account there.
      </Remark>
    </EntryDialog>
  );
}
