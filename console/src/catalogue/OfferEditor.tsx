/** An offer of a plan: to whom, which tiers under which names, and below which prices nobody may resell. */
import { Box, Checkbox, FormControlLabel } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useSignedIn } from '../access/session';
import { organisationsOptions } from '../organisations/organisations';
import { type PlanForm, type ServiceForm, plansOptions, servicesOptions } from './catalogue';
import {
  Add,
  change,
  Group,
  Line,
  Remove,
  Row,
  Select,
  withItem,
  withoutItem,
  Words,
  NUMBER,
} from './fields';
import { At } from './mistakes';
import type { Floor, OfferForm } from './offers';

const NAMED = 20;

export function OfferEditor({ form, onChange }: { form: OfferForm; onChange: (form: OfferForm) => void }) {
  const { home } = useSignedIn();
  const plans = useQuery(plansOptions);
  const services = useQuery(servicesOptions);
  const buyers =
    useQuery(organisationsOptions({ parent: home.organisation, limit: NAMED + 1 })).data?.items ?? [];
  const plan = plans.data?.find((each) => each.slug === form.offer)?.form as PlanForm | undefined;
  const meters = (services.data ?? [])
    .map((each) => each.form as ServiceForm)
    .filter((service) => plan?.services.includes(service.service))
    .flatMap((service) => Object.keys(service.meters).map((meter) => `${service.service}/${meter}`));
  const set = (field: keyof OfferForm) => (value: unknown) => onChange(change(form, field, value));
  const named = Array.isArray(form.to);
  const tiers = form.tiers ?? Object.fromEntries((plan?.tiers ?? []).map((tier) => [tier.tier, tier.name]));
  const floors = form.floors ?? [];
  return (
    <Box sx={{ display: 'grid', gap: 3, maxWidth: 1000 }}>
      <Row>
        <Line place="name" label="Name here" value={form.name} onChange={set('name')} width={260} />
        <Select
          label="Offered to"
          value={named ? 'named' : ((form.to as string | undefined) ?? 'all')}
          width={200}
          onChange={(to) => onChange({ ...form, to: to === 'named' ? [] : to })}
          options={[
            ['all', 'everybody'],
            ['resellers', 'all resellers'],
            ['tenants', 'all tenants'],
            ['named', 'only those named'],
          ]}
        />
        {Array.isArray(form.to) && (
          <Words
            place="to"
            label="Organisations, or organisation/project"
            value={form.to}
            onChange={(to) => onChange({ ...form, to })}
            width={380}
            help={
              form.to.length
                ? undefined
                : `offered to nobody; you sell to: ${buyers
                    .slice(0, NAMED)
                    .map((each) => each.slug)
                    .join(', ')}${buyers.length > NAMED ? ' and others' : ''}`
            }
          />
        )}
      </Row>
      <Line
        place="description"
        label="Description here"
        value={form.description}
        onChange={set('description')}
        width="100%"
        multiline
      />
      <Group title="Tiers on offer, with their names here">
        {(plan?.tiers ?? []).map((tier) => (
          <At key={tier.tier} place={`tiers.${tier.tier}`}>
            <Row>
              <FormControlLabel
                sx={{ width: 170 }}
                control={
                  <Checkbox
                    checked={tier.tier in tiers}
                    onChange={(event) => {
                      const chosen = { ...tiers, [tier.tier]: tiers[tier.tier] ?? tier.name };
                      const kept = event.target.checked
                        ? chosen
                        : Object.fromEntries(Object.entries(tiers).filter(([slug]) => slug !== tier.tier));
                      onChange({ ...form, tiers: kept });
                    }}
                  />
                }
                label={tier.tier}
              />
              {tier.tier in tiers && (
                <Line
                  label={`Name of ${tier.tier} here`}
                  value={tiers[tier.tier]}
                  onChange={(name) => onChange({ ...form, tiers: { ...tiers, [tier.tier]: name } })}
                />
              )}
            </Row>
          </At>
        ))}
        <Select
          label="Recommended"
          value={form.recommended ?? ''}
          width={200}
          onChange={set('recommended')}
          options={[['', 'none'], ...Object.entries(tiers)]}
        />
      </Group>
      <Group title="Floors: below these prices nobody may resell">
        {floors.map((floor, index) => {
          const put = (next: Floor) => onChange({ ...form, floors: withItem(floors, index, next) });
          return (
            <At key={index} place={`floors[${index}]`}>
              <Row>
                <Line
                  label="Meter, or tier"
                  value={floor.meter ?? floor.tier}
                  options={[...meters, ...Object.keys(tiers)]}
                  width={230}
                  onChange={(what) =>
                    put(
                      what in tiers
                        ? { tier: what, currency: floor.currency, price: floor.price }
                        : { meter: what, per: floor.per ?? '', currency: floor.currency, price: floor.price },
                    )
                  }
                />
                {floor.tier === undefined && (
                  <Line
                    label="Per"
                    value={floor.per}
                    width={130}
                    onChange={(per) => put({ ...floor, per })}
                  />
                )}
                <Line
                  label="Not below"
                  check={NUMBER}
                  value={floor.price}
                  width={110}
                  onChange={(price) => put({ ...floor, price })}
                />
                <Line
                  label="Currency"
                  value={floor.currency}
                  width={100}
                  onChange={(currency) => put({ ...floor, currency })}
                />
                <Remove
                  what={`floor ${index + 1}`}
                  onClick={() => set('floors')(withoutItem(floors, index))}
                />
              </Row>
            </At>
          );
        })}
        <Add
          what="floor"
          onClick={() =>
            onChange({ ...form, floors: [...floors, { meter: '', per: '', currency: 'EUR', price: '' }] })
          }
        />
      </Group>
    </Box>
  );
}
