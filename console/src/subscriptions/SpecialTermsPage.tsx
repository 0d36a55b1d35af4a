/** Where what is sold differs from plans and rules, and what was charged by hand. */
import { Button, Link } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { useSignedIn } from '../access/session';
import { useCardName, useNames, usePlanNames } from '../catalogue/names';
import { levelName, quantityWords } from '../catalogue/tierWords';
import { api, body } from '../shared/api';
import { byText } from '../shared/DataTable';
import { compare, formatMoney } from '../shared/decimal';
import { Grid, textColumn } from '../shared/Grid';
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
              <Grid
                name="special-terms"
                label="Special terms"
                rows={found}
                rowKey={(row) => `${row.organisation} ${row.subscription} ${row.kind} ${row.what}`}
                count={found.length}
                tall
                columns={[
                  {
                    key: 'organisation',
                    title: 'Customer',
                    flex: 2,
                    cell: (row) => (
                      <Link component={RouterLink} to={`/organisations/${row.organisation}/subscriptions`}>
                        {row.organisation_name}
                      </Link>
                    ),
                    text: (row) => row.organisation_name,
                    order: byText((row: SpecialTerms) => row.organisation_name),
                  },
                  textColumn<SpecialTerms>('subscription', 'Subscription', (row) => row.subscription, {
                    flex: 2,
                  }),
                  textColumn<SpecialTerms>('kind', 'Kind', (row) => KINDS[row.kind] ?? row.kind, { flex: 2 }),
                  textColumn<SpecialTerms>('what', 'What', words.what, { flex: 2 }),
                  textColumn<SpecialTerms>(
                    'standard',
                    'By the catalogue',
                    (row) => (row.standard === null ? '—' : words.value(row, row.standard)),
                    { flex: 2 },
                  ),
                  textColumn<SpecialTerms>('own', 'Here', (row) => words.value(row, row.own), { flex: 2 }),
                  textColumn<SpecialTerms>('from', 'From', (row) => row.starts_on, { flex: 1 }),
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
    <Grid
      name="one-off-charges"
      label="One-off charges"
      rows={rows}
      rowKey={(row) => row.id}
      count={rows.length}
      tall
      columns={[
        textColumn<OneOffCharge>('day', 'Day', (row) => row.day, { flex: 1 }),
        textColumn<OneOffCharge>('customer', 'Customer', (row) => row.organisation_name, { flex: 2 }),
        textColumn<OneOffCharge>('for', 'For', (row) => row.description, { flex: 3 }),
        {
          key: 'amount',
          title: 'Amount',
          number: true,
          flex: 2,
          cell: (row) => `${formatMoney(row.amount, row.currency)} ${row.currency}`,
          text: (row) => row.amount,
          order: (a, b) => compare(a.amount, b.amount),
        },
        textColumn<OneOffCharge>('by', 'Entered by', (row) => row.entered_by, { flex: 2 }),
        {
          key: 'state',
          title: 'State',
          flex: 1,
          cell: (row) => (row.withdrawn_at ? 'withdrawn' : <Withdraw charge={row} />),
          text: (row) => (row.withdrawn_at ? 'withdrawn' : 'charged'),
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
