/** Which tier suits a customer: all tiers beside each other, priced for what is expected; one is taken from there. */
import { Alert, Box } from '@mui/material';
import { useQueries, useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { useSignedIn } from '../access/session';
import {
  type PlanForm,
  type ServiceForm,
  type Tier,
  plansOptions,
  servicesOptions,
} from '../catalogue/catalogue';
import { Line, Select } from '../catalogue/fields';
import { offersOptions, reaches } from '../catalogue/offers';
import { CustomerPicker, useCustomers } from '../organisations/CustomerPicker';
import { organisationOptions, quotasOptions } from '../organisations/organisations';
import { DayPicker } from '../shared/DateInput';
import { nextMonth } from '../shared/dates';
import { Page, Section } from '../shared/Page';
import { Empty, Loading, Query } from '../shared/States';
import { OrderDialog } from '../subscriptions/OrderDialog';
import { metersOf } from '../catalogue/offered';
import { Expected, type Uses, anyWrong, expectedOf } from './Expected';
import { Months } from './Months';
import { Tiers } from './Tiers';
import { type Estimate, type EstimateAsked, estimateOptions } from './estimates';

const WHOLE = /^[1-9]\d{0,5}$/;
const DAY = /^\d{4}-\d{2}-\d{2}$/;
const TERMS = ['1', '3', '6', '12', '24', '36'];

export default function EstimatePage() {
  const plans = useQuery(plansOptions);
  const services = useQuery(servicesOptions);
  return (
    <Query query={plans}>
      {(found) =>
        found.some((each) => each.offered) ? (
          <Query query={services}>
            {(known) => (
              <Comparing
                plans={found
                  .filter((each) => each.offered)
                  .map((each) => ({ plan: each.form as PlanForm, recommended: each.recommended }))}
                services={known.map((each) => each.form as ServiceForm)}
              />
            )}
          </Query>
        ) : (
          <Page title="Which tier suits?">
            <Empty title="Nothing is on offer yet">
              Comparing needs a plan that is offered, and a rate card that prices it.
            </Empty>
          </Page>
        )
      }
    </Query>
  );
}

/** What all tiers are priced for. */
type Priced = Omit<EstimateAsked, 'tier'>;

interface Offered {
  plan: PlanForm;
  recommended: string | null;
}

function Comparing({ plans, services }: { plans: Offered[]; services: ServiceForm[] }) {
  const { home, session, may, mayAt } = useSignedIn();
  const navigate = useNavigate();
  const [params, setParams] = useSearchParams();
  const first = useCustomers('')[0]?.slug ?? '';
  const buyer = params.get('for') ?? (home.type === 'tenant' ? home.organisation : first);
  const months = params.get('months') ?? '12';
  const quantity = params.get('quantity') ?? '1';
  const from = params.get('from') ?? nextMonth(session.now);
  const [uses, setUses] = useState<Uses>({});
  const [taken, setTaken] = useState<Tier | null>(null);
  const looked = useQuery({ ...organisationOptions(buyer), enabled: buyer !== '' });
  const customer = looked.data;
  const offers = useQuery({ ...offersOptions(home.organisation), enabled: home.type !== 'tenant' });
  const fits = ({ plan }: Offered) =>
    offers.data?.some((each) => each.plan === plan.plan && customer && reaches(each.form.to, customer));
  const offered =
    plans.find((each) => each.plan.plan === params.get('plan')) ??
    (looked.isLoading || offers.isLoading ? undefined : (plans.find(fits) ?? plans[0]));
  const quotas = useQuery({ ...quotasOptions(buyer), enabled: buyer !== '' });
  const left = new Map(
    (quotas.data ?? []).flatMap((each) =>
      each.project === null ? [[each.measure, each.left] as const] : [],
    ),
  );
  const set = (name: string) => (value: string) =>
    setParams(
      (before) => {
        before.set(name, value);
        return before;
      },
      { replace: true },
    );
  const meters = offered ? metersOf(offered.plan, services) : [];
  const wrong = !WHOLE.test(quantity) || !DAY.test(from) || anyWrong(meters, uses);
  const asked =
    wrong || !offered || !buyer
      ? null
      : JSON.stringify({
          organisation: buyer,
          plan: offered.plan.plan,
          quantity: Number(quantity),
          first_day: from,
          months: Number(months),
          expected: expectedOf(meters, uses),
          rate_card: null,
        });
  const settled = useDeferredValue(asked);
  const tiers = offered?.plan.tiers ?? [];
  const estimates = useQueries({
    queries:
      settled === null
        ? []
        : tiers.map(({ tier }) => estimateOptions({ ...(JSON.parse(settled) as Priced), tier })),
  });
  const own = customer?.slug === home.organisation;
  // What one buys oneself is ordered of the seller; the provider has none.
  const orders = own && home.type !== 'provider';
  const sells = !orders && (own || customer?.parent === home.organisation);
  const held = home.services;
  const outside = held && offered?.plan.services.some((each) => !held.includes(each));
  const takes =
    !outside &&
    (orders ? may('order') : sells && home.type !== 'tenant' && may('manage subscriptions')) &&
    mayAt('read', home.organisation);
  const chosen = tiers.findIndex((each) => each.tier === (params.get('tier') ?? offered?.recommended));
  const shown = estimates[Math.max(0, chosen)]?.data;
  if (!offered) return <Loading />;
  return (
    <Page
      title={`Which ${offered.plan.name} suits ${customer?.name ?? '…'}?`}
      lead="All tiers priced for what is expected, net of tax, by the prices that hold in each month; nothing is ordered by looking."
    >
      <Box
        sx={{
          display: 'grid',
          gap: 4,
          gridTemplateColumns: { xs: 'minmax(0, 1fr)', lg: '270px minmax(0, 1fr)' },
          alignItems: 'start',
        }}
      >
        <Box sx={{ display: 'grid', gap: 1.5 }}>
          <CustomerPicker label="For" value={buyer} onChange={set('for')} />
          <Select
            label="Plan"
            value={offered.plan.plan}
            onChange={set('plan')}
            options={plans.map(({ plan }) => [plan.plan, plan.name] as const)}
            width="100%"
          />
          <DayPicker label="From" value={from} onChange={set('from')} />
          <Box sx={{ display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 1.5 }}>
            <Line
              label="How many"
              value={quantity}
              problem={WHOLE.test(quantity) ? undefined : 'A whole number'}
              onChange={set('quantity')}
              width="100%"
            />
            <Select
              label="Term"
              value={months}
              onChange={set('months')}
              options={TERMS.map((each) => [each, each === '1' ? '1 month' : `${each} months`] as const)}
              width="100%"
            />
          </Box>
          <Expected organisation={buyer} now={session.now} meters={meters} uses={uses} onChange={setUses} />
        </Box>
        <Box sx={{ minWidth: 0 }}>
          <Tiers
            quantity={quantity}
            left={left}
            plan={offered.plan}
            recommended={offered.recommended}
            estimates={estimates}
            wrong={wrong}
            chosen={Math.max(0, chosen)}
            onLook={(tier) => set('tier')(tier)}
            onTake={takes ? setTaken : undefined}
            why={takes ? undefined : whyNot(orders, customer?.name, sells, Boolean(outside))}
          />
          {shown && <NotPriced estimate={shown} />}
          {shown && (
            <Section title={`${tiers[Math.max(0, chosen)]?.name ?? ''}, month by month`}>
              <Months estimate={shown} />
            </Section>
          )}
        </Box>
      </Box>
      {taken && customer && (
        <OrderDialog
          organisation={customer}
          orders={orders}
          plan={offered.plan}
          tier={taken}
          quantity={quantity}
          from={from}
          onDone={() => void navigate(`/organisations/${customer.slug}/subscriptions`)}
          onClose={() => setTaken(null)}
        />
      )}
    </Page>
  );
}

/** Why nothing can be taken here. */
function whyNot(orders: boolean, customer: string | undefined, sells: boolean, outside: boolean): string {
  if (outside) return 'You are held to other services; ask an administrator.';
  if (orders) return 'This needs the right to order; ask an administrator.';
  if (!sells) return `${customer ?? 'This customer'} is subscribed by its own seller.`;
  return 'This needs the right to manage subscriptions; ask an administrator.';
}

function NotPriced({ estimate }: { estimate: Estimate }) {
  if (!estimate.not_priced.length) return null;
  return (
    <Alert severity="warning" variant="outlined" sx={{ mb: 3 }}>
      Nothing prices {estimate.not_priced.join(', ')}; it is in none of these sums.
    </Alert>
  );
}
