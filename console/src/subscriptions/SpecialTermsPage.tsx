/** Where what is sold differs from plans and rules, and what was charged by hand. */
import { Button, Link } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { useSignedIn } from '../access/session';
import { useCardName, useNames, usePlanNames } from '../catalogue/names';
import { levelName, quantityWords } from '../catalogue/tierWords';
import { api, body } from '../shared/api';
import { DataTable, byText } from '../shared/DataTable';
import { compare, formatMoney } from '../shared/decimal';
import { Page, Section } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import {
  type SpecialTerms,
  type OneOffCharge,
  specialTermsOptions,
  oneOffChargesOptions,
  useSubscriptionChange,
} from './subscriptions';

const KINDS: Record<string, string> = {
  rate_card: 'rate card',
  allowance: 'allowance',
  level: 'service level',
  plan_version: 'version of the plan',
  assignment: 'single resource',
};

export default function SpecialTermsPage() {
  const { home } = useSignedIn();
  const terms = useQuery(specialTermsOptions(home.organisation));
  const charges = useQuery(oneOffChargesOptions(home.organisation));
  const words = useWords(home.organisation);
  return (
    <Page
      title="Special terms"
      lead="Subscriptions with a card, an allowance, a level or a plan version of their own, and amounts charged by hand."
    >
      <Section title="Today's and planned">
        <Query query={terms}>
          {(found) =>
            found.length ? (
              <DataTable
                name="special-terms"
                label="Special terms"
                rows={found}
                rowKey={(row) => `${row.organisation} ${row.subscription} ${row.kind} ${row.what}`}
                columns={[
                  {
                    key: 'organisation',
                    title: 'Customer',
                    cell: (row) => (
                      <Link component={RouterLink} to={`/organisations/${row.organisation}/subscriptions`}>
                        {row.organisation_name}
                      </Link>
                    ),
                    order: byText((row: SpecialTerms) => row.organisation_name),
                  },
                  { key: 'subscription', title: 'Subscription', cell: (row) => row.subscription },
                  {
                    key: 'kind',
                    title: 'Kind',
                    cell: (row) => KINDS[row.kind] ?? row.kind,
                    order: byText((row: SpecialTerms) => row.kind),
                  },
                  { key: 'what', title: 'What', cell: words.what },
                  {
                    key: 'standard',
                    title: 'By the catalogue',
                    cell: (row) => (row.standard === null ? '—' : words.value(row, row.standard)),
                  },
                  { key: 'own', title: 'Here', cell: (row) => words.value(row, row.own) },
                  {
                    key: 'from',
                    title: 'From',
                    cell: (row) => row.starts_on,
                    order: byText((row: SpecialTerms) => row.starts_on),
                  },
                ]}
              />
            ) : (
              <Empty title="No special terms">Every subscription is as its plan and your rules say.</Empty>
            )
          }
        </Query>
      </Section>
      <Section title="Charged by hand">
        <Query query={charges}>
          {(found) =>
            found.length ? (
              <Charges rows={found} />
            ) : (
              <Empty title="Nothing was charged by hand">
                Open an organisation and choose: charge by hand.
              </Empty>
            )
          }
        </Query>
      </Section>
    </Page>
  );
}

/** What differs, in the words of the catalogue instead of its slugs. */
function useWords(seller: string) {
  const names = useNames();
  const { plan } = usePlanNames();
  const card = useCardName(seller);
  return {
    what: ({ kind, what }: SpecialTerms) =>
      kind === 'allowance'
        ? names.meter(what)
        : kind === 'level'
          ? levelName(what)
          : kind === 'assignment'
            ? what
            : plan(what),
    value: ({ kind }: SpecialTerms, value: string) =>
      kind === 'rate_card'
        ? card(value)
        : kind === 'plan_version'
          ? `version ${value}`
          : quantityWords(value),
  };
}

function Charges({ rows }: { rows: OneOffCharge[] }) {
  return (
    <DataTable
      name="one-off charges"
      label="One-off charges"
      rows={rows}
      rowKey={(row) => row.id}
      columns={[
        {
          key: 'day',
          title: 'Day',
          cell: (row) => row.day,
          order: byText((row: OneOffCharge) => row.day),
        },
        { key: 'customer', title: 'Customer', cell: (row) => row.organisation_name },
        { key: 'for', title: 'For', cell: (row) => row.description },
        {
          key: 'amount',
          title: 'Amount',
          number: true,
          cell: (row) => `${formatMoney(row.amount, row.currency)} ${row.currency}`,
          order: (a, b) => compare(a.amount, b.amount),
        },
        { key: 'by', title: 'Entered by', cell: (row) => row.entered_by },
        {
          key: 'state',
          title: '',
          cell: (row) => (row.withdrawn_at ? 'withdrawn' : <Withdraw charge={row} />),
        },
      ]}
    />
  );
}

function Withdraw({ charge }: { charge: OneOffCharge }) {
  const { may } = useSignedIn();
  const withdraw = useSubscriptionChange(
    async () =>
      body(
        await api.POST('/api/v1/one-off-charges/{charge_id}/withdraw', {
          params: { path: { charge_id: charge.id } },
        }),
      ),
    () => undefined,
  );
  if (!may('bill')) return null;
  return (
    <Button
      loading={withdraw.isPending}
      onClick={() => withdraw.mutate()}
      aria-label={`Withdraw ${charge.description}`}
    >
      Withdraw
    </Button>
  );
}
