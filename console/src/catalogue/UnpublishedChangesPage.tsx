/** Unpublished changes: services, plans, offers and rate cards before they are published. */
import { Button, MenuItem, TextField } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { useSignedIn } from '../access/session';
import { DataTable } from '../shared/DataTable';
import { momentName } from '../shared/dates';
import { FormDialog } from '../shared/FormDialog';
import { Page } from '../shared/Page';
import { slugOf } from '../shared/slugs';
import { Empty, Query } from '../shared/States';
import {
  type Form,
  type Kind,
  KINDS,
  unpublishedChangesOptions,
  saveUnpublishedChange,
} from './unpublishedChanges';

const EMPTY: Record<Kind, (slug: string, name: string) => Form> = {
  service: (slug, name) => ({ service: slug, name, category: '', subcategory: '', meters: {} }),
  plan: (slug, name) => ({ plan: slug, name, services: [], tiers: [{ tier: '', name: '' }] }),
  offer: (slug, name) => ({ offer: slug, name, to: 'all' }),
  'rate-card': (slug, name) => ({
    'rate-card': slug,
    name,
    for: 'tenants',
    currency: 'EUR',
    'starts-on': '',
    rates: [],
  }),
};

export default function UnpublishedChangesPage() {
  const { home, may } = useSignedIn();
  const changes = useQuery({
    ...unpublishedChangesOptions(home.organisation),
    enabled: may('manage catalogue'),
  });
  const navigate = useNavigate();
  const [beginning, setBeginning] = useState(false);
  if (!may('manage catalogue'))
    return (
      <Page title="Unpublished changes">
        <Empty title="Unpublished changes are for those who manage the catalogue">
          Ask an administrator for the right.
        </Empty>
      </Page>
    );
  return (
    <Page
      title="Unpublished changes"
      lead="What you write here may have mistakes; nothing here is on sale until it is published. Published versions never change."
      action={
        may('manage catalogue') && (
          <Button variant="contained" onClick={() => setBeginning(true)}>
            Write something new
          </Button>
        )
      }
    >
      <Query query={changes}>
        {(found) =>
          found.length ? (
            <DataTable
              name="changes"
              label="Unpublished changes"
              rows={found}
              rowKey={(change) => `${change.kind}/${change.slug}`}
              onOpen={(change) => void navigate(`/unpublished-changes/${change.kind}/${change.slug}`)}
              columns={[
                { key: 'kind', title: 'Kind', cell: (change) => KINDS[change.kind as Kind] },
                { key: 'name', title: 'Name', cell: (change) => (change.form.name as string) || change.slug },
                { key: 'slug', title: 'Slug', cell: (change) => change.slug },
                { key: 'by', title: 'Saved by', cell: (change) => change.edited_by },
                { key: 'at', title: 'At, UTC', cell: (change) => momentName(change.edited_at) },
              ]}
            />
          ) : (
            <Empty title="No unpublished changes">
              Begin one, or open a plan, its offer or a rate card and write its next version.
            </Empty>
          )
        }
      </Query>
      {beginning && <BeginDialog onClose={() => setBeginning(false)} />}
    </Page>
  );
}

function BeginDialog({ onClose }: { onClose: () => void }) {
  const { home } = useSignedIn();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [kind, setKind] = useState<Kind>('service');
  const [name, setName] = useState('');
  const [slug, setSlug] = useState<string | null>(null);
  const chosen = slug ?? slugOf(name);
  const begin = useMutation({
    mutationFn: () => saveUnpublishedChange(home.organisation, kind, chosen, EMPTY[kind](chosen, name), null),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['unpublished changes', home.organisation] });
      void navigate(`/unpublished-changes/${kind}/${chosen}`);
    },
  });
  return (
    <FormDialog title="Write something new" act="Begin" change={begin} onClose={onClose}>
      <TextField select label="What" value={kind} onChange={(event) => setKind(event.target.value as Kind)}>
        {Object.entries(KINDS).map(([key, title]) => (
          <MenuItem key={key} value={key}>
            {title.toLowerCase()}
          </MenuItem>
        ))}
      </TextField>
      <TextField label="Name" required value={name} onChange={(event) => setName(event.target.value)} />
      <TextField
        label="Slug"
        required
        value={chosen}
        helperText="lower-case letters, digits and hyphens; it never changes"
        onChange={(event) => setSlug(event.target.value)}
      />
    </FormDialog>
  );
}
