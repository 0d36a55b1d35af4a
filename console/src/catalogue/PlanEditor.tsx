/** What can be subscribed to: services, and tiers side by side in rising order. */
import { Box } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { type PlanForm, type ServiceForm, type Tier, servicesOptions } from './catalogue';
import { At } from './mistakes';
import { useMeasures } from '../organisations/measures';
import { Add, change, Line, Pairs, Remove, Row, Select, withItem, withoutItem, Words, WHOLE } from './fields';

const LEVELS = ['recovery-point', 'recovery-time', 'copies', 'kept-for', 'response-time'];

export function PlanEditor({ form, onChange }: { form: PlanForm; onChange: (form: PlanForm) => void }) {
  const measures = useMeasures();
  const services = useQuery(servicesOptions);
  const known = (services.data ?? []).map((each) => each.form as ServiceForm);
  const meters = known
    .filter((service) => form.services.includes(service.service))
    .flatMap((service) => Object.keys(service.meters).map((meter) => `${service.service}/${meter}`));
  const set = (field: keyof PlanForm) => (value: unknown) => onChange(change(form, field, value));
  const tiers = form.tiers;
  const setTier = (index: number, tier: Tier) => onChange({ ...form, tiers: withItem(tiers, index, tier) });
  return (
    <Box sx={{ display: 'grid', gap: 3 }}>
      <Row>
        <Line place="name" label="Name" value={form.name} onChange={set('name')} width={260} />
        <Words
          place="services"
          label="Services"
          value={form.services}
          onChange={(value) => onChange({ ...form, services: value })}
          width={360}
          help={known.length ? `known: ${known.map((service) => service.service).join(', ')}` : undefined}
        />
        <Line
          place="minimum-months"
          label="Minimum term, months"
          check={WHOLE}
          value={form['minimum-months']}
          onChange={set('minimum-months')}
          width={170}
        />
        <Line
          place="renewal.months"
          label="Renews for, months"
          check={WHOLE}
          value={form.renewal?.months}
          width={150}
          onChange={(months) => set('renewal')(change(form.renewal ?? {}, 'months', months))}
        />
        <Line
          place="renewal.notice-days"
          label="Notice, days"
          check={WHOLE}
          value={form.renewal?.['notice-days']}
          width={110}
          onChange={(days) => set('renewal')(change(form.renewal ?? {}, 'notice-days', days))}
        />
        <Line
          place="trial"
          label="Trial, days"
          check={WHOLE}
          value={form.trial?.days}
          width={110}
          onChange={(days) => set('trial')(days ? { ...form.trial, days } : '')}
        />
        {form.trial && (
          <Select
            label="Then it"
            value={form.trial.then ?? 'converts'}
            onChange={(then) => set('trial')({ ...form.trial, then })}
            options={[
              ['converts', 'goes on'],
              ['ends', 'ends'],
            ]}
          />
        )}
      </Row>
      <Line
        place="description"
        label="Description"
        value={form.description}
        onChange={set('description')}
        width="100%"
        multiline
      />
      <Row>
        <Line
          place="terms"
          label="Version of the terms"
          value={form.terms?.version}
          width={170}
          onChange={(version) => set('terms')(version ? { text: '', ...form.terms, version } : '')}
        />
        {form.terms && (
          <Box sx={{ flex: 1, minWidth: 300 }}>
            <Line
              label="Terms, accepted by who subscribes"
              value={form.terms.text}
              width="100%"
              multiline
              onChange={(text) => set('terms')({ ...form.terms, text })}
            />
          </Box>
        )}
      </Row>
      <Box
        sx={{
          display: 'grid',
          gap: 3,
          gridTemplateColumns: `repeat(${Math.max(tiers.length, 1)}, minmax(260px, 1fr))`,
          overflowX: 'auto',
          pt: 1,
        }}
      >
        {tiers.map((tier, index) => {
          const field = (name: keyof Tier) => (value: unknown) => setTier(index, change(tier, name, value));
          return (
            <At key={index} place={`tiers[${index}]`}>
              <Box
                role="group"
                aria-label={`Tier ${index + 1}`}
                sx={{ display: 'grid', gap: 2, alignContent: 'start' }}
              >
                <Box sx={{ display: 'flex', gap: 1 }}>
                  <Line label="Tier" value={tier.tier} onChange={field('tier')} width="100%" />
                  <Line label="Tier's name" value={tier.name} onChange={field('name')} width="100%" />
                  <Remove
                    what={`tier ${tier.tier}`}
                    onClick={() => onChange({ ...form, tiers: withoutItem(tiers, index) })}
                  />
                </Box>
                <Line
                  label="For whom"
                  value={tier.description}
                  onChange={field('description')}
                  width="100%"
                  multiline
                />
                <Pairs
                  title="Service levels"
                  adds="level"
                  value={tier.levels}
                  onChange={field('levels')}
                  nameLabel="Level"
                  valueLabel="like 24 hour"
                  options={LEVELS}
                />
                <Pairs
                  title="Included each month"
                  adds="allowance"
                  value={tier.allowances}
                  onChange={field('allowances')}
                  nameLabel="Meter included"
                  valueLabel="like 10 GiB"
                  options={meters}
                />
                <Pairs
                  title="Default quotas"
                  adds="quota"
                  value={tier.quotas}
                  onChange={field('quotas')}
                  nameLabel="Measure"
                  valueLabel="Limit"
                  options={measures.map((each) => each.measure)}
                />
              </Box>
            </At>
          );
        })}
      </Box>
      <Add what="tier" onClick={() => onChange({ ...form, tiers: [...tiers, { tier: '', name: '' }] })} />
    </Box>
  );
}
