/** What a tier would cost an organisation over a term; the price adds up with each choice. */
import { Alert, Box, Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { useSearchParams } from 'react-router';
import { useSignedIn } from '../access/session';
import { CustomerPicker, useCustomers } from '../organisations/CustomerPicker';
import { DataTable } from '../shared/DataTable';
import { nextMonth, periodName } from '../shared/dates';
import { formatMoney, formatQuantity } from '../shared/decimal';
import { Page, Section } from '../shared/Page';
import { Empty, Failed, Loading, Query } from '../shared/States';
import { type PlanForm, type ServiceForm, plansOptions, servicesOptions } from '../catalogue/catalogue';
import { type Estimate, type ExpectedUse, estimateOptions } from './estimates';
import { Group, Line, Row, Select } from '../catalogue/fields';

const TERMS = ['1', '3', '6', '12', '24', '36'];

interface Use {
  quantity: string;
  unit: string;
  attributes: Record<string, string>;
}

/** The unit that people think of a meter in. */
const UNIT: Record<string, string> = { byte: 'GiB', 'byte-second': 'GiB-month730' };
const thoughtOf = (unit: string): string => UNIT[unit] ?? unit.replace(/-second$/, '-hour');

export default function EstimatePage() {
  const plans = useQuery(plansOptions);
  const services = useQuery(servicesOptions);
  return (
    <Query query={plans}>
      {(found) =>
        found.some((each) => each.offered) ? (
          <Query query={services}>
            {(known) => (
              <Estimating
                plans={found.filter((each) => each.offered).map((each) => each.form as PlanForm)}
                services={known.map((each) => each.form as ServiceForm)}
              />
            )}
          </Query>
        ) : (
          <Page title="What would it cost?">
            <Empty title="Nothing is on offer yet">
              An estimate needs a plan that is offered, and a rate card that prices it.
            </Empty>
          </Page>
        )
      }
    </Query>
  );
}

function Estimating({ plans, services }: { plans: PlanForm[]; services: ServiceForm[] }) {
  const { home, session } = useSignedIn();
  const [params, setParams] = useSearchParams();
  const first = useCustomers('')[0]?.slug ?? '';
  const buyer = params.get('for') ?? (home.type === 'tenant' ? home.organisation : first);
  const plan = plans.find((each) => each.plan === params.get('plan')) ?? plans[0];
  const tier = plan?.tiers.find((each) => each.tier === params.get('tier')) ?? plan?.tiers[0];
  const months = params.get('months') ?? '12';
  const quantity = params.get('quantity') ?? '1';
  const from = params.get('from') ?? nextMonth(session.now);
  const [uses, setUses] = useState<Record<string, Use>>({});
  const set = (name: string) => (value: string) =>
    setParams(
      (before) => {
        before.set(name, value);
        return before;
      },
      { replace: true },
    );
  const meters = services
    .filter((service) => plan?.services.includes(service.service))
    .flatMap((service) =>
      Object.entries(service.meters).map(([slug, meter]) => ({
        key: `${service.service}/${slug}`,
        service,
        meter,
      })),
    );
  const expected: ExpectedUse[] = meters.flatMap(({ key, service, meter }) => {
    const use = uses[key];
    if (!use || !/^\d+(\.\d+)?$/.test(use.quantity)) return [];
    const defaults = Object.fromEntries(
      Object.entries(service.choices ?? {})
        .filter(([name]) => service.attributes?.[name])
        .map(([name, choice]) => [name, choice.values[0] ?? '']),
    );
    return [
      {
        meter: key,
        quantity: use.quantity,
        unit: use.unit || thoughtOf(meter.unit),
        attributes: { ...defaults, ...use.attributes },
      },
    ];
  });
  const asked = {
    organisation: buyer,
    plan: plan?.plan ?? '',
    tier: tier?.tier ?? '',
    quantity: /^[1-9]\d{0,5}$/.test(quantity) ? Number(quantity) : 1,
    first_day: /^\d{4}-\d{2}-\d{2}$/.test(from) ? from : null,
    months: Number(months),
    expected,
    rate_card: null,
  };
  const steady = useDeferredValue(JSON.stringify(asked));
  const settled = JSON.parse(steady) as typeof asked;
  const estimate = useQuery({
    ...estimateOptions(settled),
    enabled: settled.organisation !== '' && settled.tier !== '',
  });
  return (
    <Page
      title="What would it cost?"
      lead="Net of tax, by the prices that hold in each month of the term; nothing is ordered by this."
    >
      <Box
        sx={{
          display: 'grid',
          gap: 4,
          gridTemplateColumns: { xs: 'minmax(0, 1fr)', lg: 'minmax(0, 11fr) minmax(0, 9fr)' },
          alignItems: 'start',
        }}
      >
        <Box sx={{ display: 'grid', gap: 3 }}>
          <Row>
            <CustomerPicker label="For" value={buyer} onChange={set('for')} />
            <Select
              label="Plan"
              value={plan?.plan}
              onChange={set('plan')}
              options={plans.map((each) => [each.plan, each.name] as const)}
              width={180}
            />
            <Select
              label="Tier"
              value={tier?.tier}
              onChange={set('tier')}
              options={plan?.tiers.map((each) => [each.tier, each.name] as const) ?? []}
              width={130}
            />
            <Line label="From" value={from} onChange={set('from')} width={125} />
            <Line label="How many" value={quantity} onChange={set('quantity')} width={100} />
            <Select
              label="Term"
              value={months}
              onChange={set('months')}
              options={TERMS.map((each) => [each, each === '1' ? '1 month' : `${each} months`] as const)}
              width={120}
            />
          </Row>
          <Group title="Expected in each month">
            {meters.map(({ key, service, meter }) => {
              const use = uses[key] ?? { quantity: '', unit: '', attributes: {} };
              const put = (next: Partial<Use>) => setUses({ ...uses, [key]: { ...use, ...next } });
              return (
                <Box
                  key={key}
                  sx={{
                    display: 'grid',
                    gap: 1,
                    alignItems: 'center',
                    gridTemplateColumns: { xs: '1fr 1fr', sm: 'minmax(120px, 1fr) 110px 135px 125px' },
                    fontSize: '0.86rem',
                  }}
                >
                  <Box>
                    {service.name}: {meter.name}
                  </Box>
                  <Line
                    label="Quantity"
                    spoken={`Quantity of ${service.name}: ${meter.name}`}
                    value={use.quantity}
                    width="100%"
                    onChange={(value) => put({ quantity: value.trim() })}
                  />
                  <Line
                    label="Unit"
                    spoken={`Unit of ${service.name}: ${meter.name}`}
                    value={use.unit || thoughtOf(meter.unit)}
                    width="100%"
                    onChange={(unit) => put({ unit })}
                  />
                  {Object.entries(service.choices ?? {})
                    .filter(([name]) => service.attributes?.[name])
                    .map(([name, choice]) => (
                      <Select
                        key={name}
                        label={choice.name}
                        value={use.attributes[name] ?? choice.values[0]}
                        options={choice.values}
                        width="100%"
                        onChange={(value) => put({ attributes: { ...use.attributes, [name]: value } })}
                      />
                    ))}
                </Box>
              );
            })}
          </Group>
        </Box>
        <Box aria-live="polite">
          {estimate.isError ? (
            <Failed error={estimate.error} />
          ) : estimate.data ? (
            <Outcome estimate={estimate.data} />
          ) : (
            <Loading rows={6} />
          )}
        </Box>
      </Box>
    </Page>
  );
}

/** The months of an estimate, those alike shown once. */
function runs(estimate: Estimate): { from: string; to: string; month: Estimate['months'][number] }[] {
  const found: { from: string; to: string; month: Estimate['months'][number] }[] = [];
  for (const month of estimate.months) {
    const before = found[found.length - 1];
    if (before && JSON.stringify(before.month.lines) === JSON.stringify(month.lines))
      before.to = month.period;
    else found.push({ from: month.period, to: month.period, month });
  }
  return found;
}

function Outcome({ estimate }: { estimate: Estimate }) {
  const money = (amount: string) => formatMoney(amount, estimate.currency);
  return (
    <Box sx={{ display: 'grid', gap: 2 }}>
      <Box>
        <Typography component="p" sx={{ fontSize: '1.7rem', fontVariantNumeric: 'tabular-nums' }}>
          {money(estimate.total)}{' '}
          <Box component="span" sx={{ fontSize: '1rem', color: 'text.secondary' }}>
            {estimate.currency} over the term
          </Box>
        </Typography>
        <Typography variant="body2" sx={{ color: 'text.secondary' }}>
          By rate card {estimate.rate_card} of {estimate.seller}.
        </Typography>
      </Box>
      {estimate.renews_on && (
        <Typography variant="body2" sx={{ mb: 1 }}>
          Renews on {estimate.renews_on}; from then on by {estimate.seller}/{estimate.renewal_card ?? ''}.
        </Typography>
      )}
      {estimate.not_priced.length > 0 && (
        <Alert severity="warning" variant="outlined">
          Nothing prices {estimate.not_priced.join(', ')}; it is not in this sum.
        </Alert>
      )}
      {runs(estimate).map(({ from, to, month }) => (
        <Section
          key={from}
          title={from === to ? periodName(from) : `${periodName(from)} to ${periodName(to)}, each`}
        >
          <DataTable
            name={`estimate-${from}`}
            label={`Lines of ${from}`}
            rows={month.lines.map((line, index) => ({ ...line, key: String(index) }))}
            rowKey={(line) => line.key}
            columns={[
              { key: 'what', title: 'What', cell: (line) => line.description },
              {
                key: 'quantity',
                title: 'Quantity',
                number: true,
                cell: (line) => formatQuantity(line.quantity),
              },
              { key: 'unit', title: 'Unit', cell: (line) => line.unit },
              {
                key: 'amount',
                title: estimate.currency,
                number: true,
                cell: (line) => money(line.amount),
                total: money(month.total),
              },
            ]}
          />
        </Section>
      ))}
    </Box>
  );
}
