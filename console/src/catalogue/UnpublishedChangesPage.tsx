/** Unpublished changes: services, plans, offers and rate cards before they are published. */
import { Button } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import { DataTable } from '../shared/DataTable';
import { momentName } from '../shared/dates';
import { EntryDialog, TextInput, given, slug } from '../shared/form';
import { Names } from '../shared/Names';
import { Page } from '../shared/Page';
import { RowLink } from '../shared/RowLink';
import { Empty, Query } from '../shared/States';
import {
  type Form,
  type Kind,
  KINDS,
  unpublishedChangesOptions,
  saveUnpublishedChange,
} from './unpublishedChanges';

const place = ({ kind, slug }: { kind: string; slug: string }) => `/unpublished-changes/${kind}/${slug}`;

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
              onOpen={(change) => void navigate(place(change))}
              columns={[
                { key: 'kind', title: 'Kind', cell: (change) => KINDS[change.kind as Kind] },
                {
                  key: 'name',
                  title: 'Name',
                  cell: (change) => (
                    <RowLink to={place(change)}>{(change.form.name as string) || change.slug}</RowLink>
                  ),
                },
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

const schema = z.object({ kind: z.string(), name: given('The name that people read'), slug });

function BeginDialog({ onClose }: { onClose: () => void }) {
  const { home } = useSignedIn();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const save = async ({ kind, slug, name }: z.infer<typeof schema>) => {
    const form = EMPTY[kind as Kind](slug, name);
    await saveUnpublishedChange(home.organisation, kind as Kind, slug, form, null);
    await queries.invalidateQueries({ queryKey: ['unpublished changes', home.organisation] });
    void navigate(place({ kind, slug }));
  };
  return (
    <EntryDialog
      title="Write something new"
      act="Begin"
      schema={schema}
      initial={{ kind: 'service', name: '', slug: '' }}
      save={save}
      onClose={onClose}
    >
      <TextInput
        name="kind"
        label="What"
        options={Object.entries(KINDS).map(([key, title]) => [key, title.toLowerCase()] as const)}
      />
      <Names hint="In files and the command line; it never changes" />
    </EntryDialog>
  );
}
