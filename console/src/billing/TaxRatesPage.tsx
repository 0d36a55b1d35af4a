/** The taxes of a seller on its customers, by country and day. */
import { Button } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import { api, body } from '../shared/api';
import { DataTable, byText } from '../shared/DataTable';
import { DateInput } from '../shared/DateInput';
import { formatQuantity } from '../shared/decimal';
import { EntryDialog, TextInput, day, decimal, given } from '../shared/form';
import { Page } from '../shared/Page';
import { PickInput } from '../shared/PickInput';
import { Empty, Query } from '../shared/States';
import { countries } from '../shared/world';
import { CATEGORIES, type TaxRate, categoryName, taxRatesOptions } from './taxRates';

export default function TaxRatesPage() {
  const { home, may } = useSignedIn();
  const rates = useQuery(taxRatesOptions(home.organisation));
  const [setting, setSetting] = useState(false);
  const named = new Map(countries());
  const add = may('bill') && (
    <Button variant="contained" onClick={() => setSetting(true)}>
      Set a rate
    </Button>
  );
  return (
    <Page
      title="Tax rates"
      lead="What is put on documents to customers of a country, from a day on."
      action={rates.data?.length ? add : undefined}
    >
      <Query query={rates}>
        {(found) =>
          found.length ? (
            <DataTable
              name="tax-rates"
              label="Tax rates"
              rows={found}
              rowKey={(row) => `${row.country} ${row.starts_on}`}
              columns={[
                {
                  key: 'country',
                  title: 'Customers in',
                  cell: (row) => named.get(row.country) ?? row.country,
                  order: byText((row: TaxRate) => named.get(row.country)),
                },
                { key: 'from', title: 'From', whole: true, cell: (row) => row.starts_on },
                {
                  key: 'category',
                  title: 'Category',
                  cell: (row) => `${row.category}, ${categoryName(row.category)}`,
                },
                {
                  key: 'percent',
                  title: 'Percent',
                  number: true,
                  cell: (row) => formatQuantity(row.percent),
                },
              ]}
            />
          ) : (
            <Empty title="No tax rates yet">
              <p>A month can be closed only when there is one for the country of each customer.</p>
              {add}
            </Empty>
          )
        }
      </Query>
      {setting && <TaxRateDialog organisation={home.organisation} onClose={() => setSetting(false)} />}
    </Page>
  );
}

function TaxRateDialog({ organisation, onClose }: { organisation: string; onClose: () => void }) {
  const { session } = useSignedIn();
  const queries = useQueryClient();
  const schema = z.object({
    country: given('The country of the customers'),
    starts_on: day('The day from which it holds'),
    category: given('One of these'),
    percent: decimal('A number, as in 23'),
  });
  return (
    <EntryDialog
      title="Tax on customers of a country"
      act="Set it"
      schema={schema}
      initial={{ country: '', starts_on: `${session.now.slice(0, 4)}-01-01`, category: 'S', percent: '' }}
      save={async (values) => {
        body(
          await api.PUT('/api/v1/organisations/{organisation}/tax-rates', {
            params: { path: { organisation } },
            body: values,
          }),
        );
        await queries.invalidateQueries({ queryKey: ['tax rates'] });
      }}
      onClose={onClose}
    >
      <PickInput name="country" label="Country" options={countries()} columns={3} />
      <DateInput name="starts_on" label="From" columns={3} />
      <TextInput
        name="category"
        label="Category"
        columns={4}
        options={CATEGORIES.map(([code, words]) => [code, `${code}, ${words}`] as const)}
      />
      <TextInput name="percent" label="Percent" columns={2} />
    </EntryDialog>
  );
}
