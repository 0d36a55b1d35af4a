/** What a month would have come to with other prices; nothing is changed by asking. */
import { Alert, Button, Checkbox, FormControlLabel, MenuItem, TextField } from '@mui/material';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { usePeriod } from '../access/figures';
import { useSignedIn } from '../access/session';
import { api, body } from '../shared/api';
import { DataTable, byText } from '../shared/DataTable';
import { compare, formatMoney, sum } from '../shared/decimal';
import { Page } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { unpublishedChangesOptions } from '../catalogue/unpublishedChanges';
import type { WhatIf } from './estimates';

export default function WhatIfPage() {
  const { home, may } = useSignedIn();
  const drafts = useQuery({
    ...unpublishedChangesOptions(home.organisation),
    enabled: may('manage catalogue'),
  });
  const [params, setParams] = useSearchParams();
  const [period] = usePeriod(1);
  const again = useMutation({
    mutationFn: async (form: Record<string, unknown>) =>
      body(
        await api.POST('/api/v1/estimates/what-if', {
          body: {
            organisation: home.organisation,
            period,
            files: [{ name: 'draft.yaml', content: JSON.stringify(form) }],
          },
        }),
      ),
  });
  if (!may('manage catalogue'))
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
        const set = (name: string, value: string) => {
          again.reset();
          setParams(
            (before) => {
              before.set(name, value);
              return before;
            },
            { replace: true },
          );
        };
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
                  Price it again
                </Button>
              )
            }
          >
            {!card && (
              <Empty title="No unpublished rate card">
                Open a rate card, write its next version, and come back before you publish it.
              </Empty>
            )}
            {again.isError && (
              <Alert severity="error" variant="outlined">
                {again.error.message}
              </Alert>
            )}
            {again.data && <Outcome found={again.data} />}
          </Page>
        );
      }}
    </Query>
  );
}

function Outcome({ found }: { found: WhatIf }) {
  const [all, setAll] = useState(false);
  const currencies = [...new Set(found.rows.map((row) => row.currency))];
  if (!found.rows.length) return <Empty title="Nothing was sold in that month">Choose another month.</Empty>;
  const differs = found.rows.filter((row) => compare(row.difference, '0') !== 0);
  const shown = all ? found.rows : differs;
  const alike = found.rows.length - differs.length;
  return (
    <>
      {alike > 0 && (
        <FormControlLabel
          control={<Checkbox checked={all} onChange={(event) => setAll(event.target.checked)} />}
          label={`Also what would not differ, ${alike} of ${found.rows.length}`}
        />
      )}
      {shown.length === 0 && (
        <Empty title="Nothing would differ">The unpublished card prices that month alike.</Empty>
      )}
      {currencies.map((currency) => (
        <Table key={currency} currency={currency} rows={shown.filter((row) => row.currency === currency)} />
      ))}
    </>
  );
}

function Table({ currency, rows }: { currency: string; rows: WhatIf['rows'] }) {
  if (!rows.length) return null;
  const money = (amount: string) => formatMoney(amount, currency);
  const signed = (amount: string) => (compare(amount, '0') > 0 ? `+${money(amount)}` : money(amount));
  return (
    <DataTable
      name={`what-if-${currency}`}
      label={`What would have been, ${currency}`}
      rows={rows}
      rowKey={(row) => `${row.buyer}/${row.service}`}
      columns={[
        { key: 'buyer', title: 'Buyer', cell: (row) => row.buyer, order: byText((row) => row.buyer) },
        {
          key: 'service',
          title: 'Service',
          cell: (row) => row.service,
          order: byText((row) => row.service),
        },
        {
          key: 'before',
          title: `Came to, ${currency}`,
          number: true,
          cell: (row) => money(row.before),
          total: money(sum(rows.map((row) => row.before))),
        },
        {
          key: 'after',
          title: 'Would have come to',
          number: true,
          cell: (row) => money(row.after),
          total: money(sum(rows.map((row) => row.after))),
        },
        {
          key: 'difference',
          title: 'Difference',
          number: true,
          cell: (row) => signed(row.difference),
          order: (left, right) => compare(left.difference, right.difference),
          total: signed(sum(rows.map((row) => row.difference))),
        },
      ]}
    />
  );
}
