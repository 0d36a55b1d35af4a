/** What a month would have come to with other prices; nothing is changed by asking. */
import { Button, MenuItem, TextField } from '@mui/material';
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { usePeriod } from '../access/figures';
import { useSignedIn } from '../access/session';
import { unpublishedChangesOptions } from '../catalogue/unpublishedChanges';
import { api, body } from '../shared/api';
import { DataTable } from '../shared/DataTable';
import { momentName, periodName } from '../shared/dates';
import { useFilters } from '../shared/filters';
import { Page, Section } from '../shared/Page';
import { Empty, Failed, Query } from '../shared/States';
import { WhatIfOutcome } from './WhatIfOutcome';
import { whatIfsOptions } from './whatIfs';

export default function WhatIfPage() {
  const { home, may } = useSignedIn();
  const mine = may('manage catalogue');
  const drafts = useQuery({ ...unpublishedChangesOptions(home.organisation), enabled: mine });
  const queries = useQueryClient();
  const [params, set] = useFilters();
  const [period] = usePeriod(1);
  const chosen = params.get('of');
  const again = useMutation({
    mutationFn: async (form: Record<string, unknown>) =>
      body(
        await api.POST('/api/v1/organisations/{organisation}/what-ifs', {
          params: { path: { organisation: home.organisation } },
          body: { period, files: [{ name: 'draft.yaml', content: JSON.stringify(form) }] },
        }),
      ),
    onSuccess: async (asked) => {
      set('of', asked.id);
      await queries.invalidateQueries({ queryKey: ['what-ifs'] });
    },
  });
  if (!mine)
    return (
      <Page title="What would it have been?">
        <Empty title="This is for those who manage the catalogue">Ask an administrator for the right.</Empty>
      </Page>
    );
  return (
    <Query query={drafts}>
      {(found) => {
        const cards = found.filter((draft) => draft.kind === 'rate-card');
        const card = cards.find((draft) => draft.slug === params.get('draft')) ?? cards[0];
        return (
          <Page
            title="What would it have been?"
            lead="A month priced again with an unpublished rate card, as if it had held throughout. Nothing is changed by it."
            filters={
              card && (
                <TextField
                  select
                  label="With the unpublished card"
                  value={card.slug}
                  sx={{ minWidth: 220 }}
                  onChange={(event) => set('draft', event.target.value)}
                >
                  {cards.map((draft) => (
                    <MenuItem key={draft.slug} value={draft.slug}>
                      {draft.form.name as string}
                    </MenuItem>
                  ))}
                </TextField>
              )
            }
            action={
              card && (
                <Button variant="contained" loading={again.isPending} onClick={() => again.mutate(card.form)}>
                  Price {periodName(period)} again
                </Button>
              )
            }
          >
            {!card && (
              <Empty title="No unpublished rate card">
                Open a rate card, write its next version, and come back before you publish it.
              </Empty>
            )}
            {again.isError && <Failed error={again.error} />}
            {chosen && <WhatIfOutcome id={chosen} />}
            <Before chosen={chosen} onOpen={(id) => set('of', id)} />
          </Page>
        );
      }}
    </Query>
  );
}

/** What was asked before, which is kept for 90 days. */
function Before({ chosen, onOpen }: { chosen: string | null; onOpen: (id: string) => void }) {
  const { home } = useSignedIn();
  const asked = useInfiniteQuery(whatIfsOptions(home.organisation));
  const rows = (asked.data?.pages.flatMap((page) => page.items) ?? []).filter((row) => row.id !== chosen);
  if (asked.isError) return <Failed error={asked.error} retry={() => void asked.refetch()} />;
  if (!rows.length) return null;
  return (
    <Section title={chosen ? 'Asked besides' : 'Asked in the last 90 days'}>
      <DataTable
        name="what-ifs"
        label="What was asked"
        rows={rows}
        rowKey={(row) => row.id}
        onOpen={(row) => onOpen(row.id)}
        columns={[
          { key: 'period', title: 'Month', cell: (row) => periodName(row.period) },
          { key: 'cards', title: 'With', cell: (row) => row.cards.map((card) => card.name).join(', ') },
          { key: 'state', title: 'State', cell: (row) => row.state },
          { key: 'at', title: 'Asked, UTC', cell: (row) => momentName(row.asked_at) },
          { key: 'by', title: 'By', cell: (row) => row.asked_by },
        ]}
      />
      {asked.hasNextPage && (
        <Button sx={{ mt: 1 }} loading={asked.isFetchingNextPage} onClick={() => void asked.fetchNextPage()}>
          Show earlier ones
        </Button>
      )}
    </Section>
  );
}
