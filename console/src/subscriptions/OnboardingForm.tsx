/** A new customer in three parts: who it is, what it gets, who works with it. */
import { Box, Button } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useFieldArray, useFormContext, useWatch } from 'react-hook-form';
import type { PlanForm } from '../catalogue/catalogue';
import { offersOptions } from '../catalogue/offers';
import { cloudsOptions } from '../organisations/clouds';
import { sitesOptions } from '../organisations/sites';
import {
  type Organisation,
  type Quota,
  TYPES,
  measureName,
  quotasOptions,
} from '../organisations/organisations';
import { formatQuantity } from '../shared/decimal';
import { DateInput } from '../shared/DateInput';
import { CheckInput, OwnInput, Remark, TextInput } from '../shared/form';
import { Names } from '../shared/Names';
import { Section } from '../shared/Page';
import { PickInput } from '../shared/PickInput';
import { SomeOf } from '../shared/SomeOf';
import { slugOf } from '../shared/slugs';
import { formatUnit } from '../shared/units';
import { countries, currencies } from '../shared/world';
import { COLUMNS, Remove } from './OnboardingParts';
import { People, Welcome } from './OnboardingPeople';
import { newAccount, newTier, tiersOnOffer, type Values } from './onboardings';

export function OnboardingForm({ seller, plans }: { seller: Organisation; plans: readonly PlanForm[] }) {
  return (
    <Box sx={{ minWidth: 0 }}>
      <Section title="Who it is">
        <Who />
      </Section>
      <Section title="What it gets">
        <Tiers plans={plans} />
        <OffersOf seller={seller} />
        <Limits seller={seller} />
        <SitesOf seller={seller} />
        <Accounts seller={seller} />
      </Section>
      <Section title="Who works with it">
        <People plans={plans} />
        <Welcome />
        <Projects />
      </Section>
    </Box>
  );
}

function Who() {
  const [more, setMore] = useState(false);
  const [starts_on, segment, cost_centre] = useWatch<Values, ['starts_on', 'segment', 'cost_centre']>({
    name: ['starts_on', 'segment', 'cost_centre'],
  });
  const shown = more || Boolean(starts_on || segment || cost_centre);
  return (
    <Box sx={COLUMNS}>
      <Names hint="In addresses and files; it stays" columns={3} />
      <TextInput name="type" label="Type" columns={3} options={TYPES} />
      <TextInput name="tax_id" label="Tax number" columns={3} optional />
      <PickInput name="country" label="Country" columns={3} options={countries()} />
      <PickInput name="currency" label="Billed in" columns={3} options={currencies()} />
      {shown ? (
        <>
          <DateInput name="starts_on" label="From" columns={2} optional hint="Empty: at once" />
          <TextInput name="segment" label="Segment" columns={2} optional />
          <TextInput name="cost_centre" label="Cost centre" columns={2} optional />
        </>
      ) : (
        <Box sx={{ gridColumn: '1 / -1' }}>
          <Button onClick={() => setMore(true)}>A later day, segment or cost centre</Button>
        </Box>
      )}
    </Box>
  );
}

function Tiers({ plans }: { plans: readonly PlanForm[] }) {
  const { fields, append, remove } = useFieldArray<Values, 'tiers'>({ name: 'tiers' });
  return (
    <>
      {fields.map((field, place) => (
        <TierRow key={field.id} place={place} plans={plans} onRemove={() => remove(place)} />
      ))}
      <Button sx={{ mt: 1 }} onClick={() => append(newTier())}>
        {fields.length ? 'One more tier' : 'A tier'}
      </Button>
    </>
  );
}

function TierRow(props: { place: number; plans: readonly PlanForm[]; onRemove: () => void }) {
  const { place, plans, onRemove } = props;
  const row = useWatch<Values, `tiers.${number}`>({ name: `tiers.${place}` });
  const plan = plans.find((each) => each.plan === row.tier.split('/')[0]);
  return (
    <Box sx={{ ...COLUMNS, mb: 1 }}>
      <Box
        sx={{
          gridColumn: '1 / -1',
          display: 'grid',
          gap: 2,
          alignItems: 'start',
          gridTemplateColumns: { xs: '1fr auto', sm: 'minmax(0, 1fr) 92px 200px 30px' },
        }}
      >
        <PickInput
          name={`tiers.${place}.tier`}
          label="Plan and tier"
          columns={1}
          options={tiersOnOffer(plans)}
          free
        />
        <TextInput name={`tiers.${place}.quantity`} label="How many" columns={1} />
        <DateInput
          name={`tiers.${place}.starts_on`}
          label="From"
          columns={1}
          optional
          hint="Empty: at once"
        />
        <Remove what="this tier" onClick={onRemove} />
      </Box>
      {plan?.trial && (
        <CheckInput
          name={`tiers.${place}.on_trial`}
          label={`${plan.trial.days} days on trial first, free of charge`}
          columns={3}
        />
      )}
      {plan?.terms && (
        <CheckInput
          name={`tiers.${place}.accepted`}
          label={`The customer accepts terms ${plan.terms.version}`}
          columns={3}
        />
      )}
    </Box>
  );
}

/** Its limits follow from its tiers; here they are said otherwise, beside what its seller has left. */
function Limits({ seller }: { seller: Organisation }) {
  const quotas = useQuery(quotasOptions(seller.slug));
  const limits = useWatch<Values, 'limits'>({ name: 'limits' });
  const [open, setOpen] = useState(false);
  const said = Object.values(limits).some((each) => each.trim());
  const own = (quotas.data ?? []).filter((each) => each.project === null);
  if (!open && !said)
    return (
      <Box sx={{ mt: 1, fontSize: '0.9rem' }}>
        Its limits are what its tiers promise, and what it begins with.{' '}
        <Button onClick={() => setOpen(true)} disabled={!own.length}>
          Set limits by hand
        </Button>
      </Box>
    );
  return (
    <Box sx={COLUMNS}>
      <Remark>Limits: empty is what its tiers promise and what it begins with; “none” is no limit.</Remark>
      {own.map((each) => (
        <TextInput
          key={each.measure}
          name={`limits.${each.measure}`}
          label={measureName(each.measure, each.kind)}
          {...unitOf(each)}
          columns={2}
          optional
          hint={each.left === null ? 'You have no limit' : `${formatQuantity(each.left)} left`}
        />
      ))}
    </Box>
  );
}

/** The unit beside the measure's name, where it is not the same word. */
function unitOf({ measure, kind, unit }: Quota): { unit?: string } {
  const word = formatUnit(unit, '2');
  return measureName(measure, kind).toLowerCase() === word.toLowerCase() ? {} : { unit: word };
}

/** What its seller offers to some by name, and to it if chosen. */
function OffersOf({ seller }: { seller: Organisation }) {
  const offers = useQuery(offersOptions(seller.slug));
  const type = useWatch<Values, 'type'>({ name: 'type' });
  const named = (offers.data ?? []).filter(({ form }) => Array.isArray(form.to) && form.to.length > 0);
  if (!named.length) return null;
  return (
    <Box sx={{ mt: 1, fontSize: '0.9rem' }}>
      <Box>
        {type === 'reseller' ? 'It may order and sell on' : 'It may order'} what you offer to all like it, and
        of what you offer by name:
      </Box>
      <OwnInput<string[]> name="offers">
        {(value, onChange) => (
          <SomeOf
            label="Offered to some"
            options={named.map(({ plan, form }) => [plan, String(form.name ?? plan)] as const)}
            chosen={value}
            onChange={onChange}
          />
        )}
      </OwnInput>
    </Box>
  );
}

/** The sites that it may use: all that its seller may, or some of them. */
function SitesOf({ seller }: { seller: Organisation }) {
  const sites = useQuery(sitesOptions(seller.slug));
  const chosen = useWatch<Values, 'sites'>({ name: 'sites' });
  const [open, setOpen] = useState(false);
  const known = sites.data ?? [];
  if (known.length < 2) return null;
  if (!open && !chosen.length)
    return (
      <Box sx={{ mt: 1, fontSize: '0.9rem' }}>
        It may use {known.map((each) => each.name).join(', ')}.{' '}
        <Button onClick={() => setOpen(true)}>Hold it to some of them</Button>
      </Box>
    );
  return (
    <Box sx={COLUMNS}>
      <OwnInput<string[]> name="sites">
        {(value, onChange) => (
          <SomeOf
            label="Sites"
            options={known.map((each) => [each.slug, each.name] as const)}
            chosen={value}
            onChange={onChange}
          />
        )}
      </OwnInput>
      <Remark>None chosen is all that you may use, also those to come.</Remark>
    </Box>
  );
}

/** Its accounts in clouds: made, or one that is there already. */
function Accounts({ seller }: { seller: Organisation }) {
  const clouds = useQuery(cloudsOptions(seller.slug));
  const { fields, append, remove } = useFieldArray<Values, 'accounts'>({ name: 'accounts' });
  const slug = useWatch<Values, 'slug'>({ name: 'slug' });
  const known = clouds.data ?? [];
  if (!known.length && !fields.length) return null;
  return (
    <>
      {fields.map((field, place) => (
        <Box key={field.id} sx={{ ...COLUMNS, mt: 1 }}>
          <TextInput
            name={`accounts.${place}.cloud`}
            label="Account in"
            columns={2}
            options={known.map((each) => [each.slug, each.name] as const)}
          />
          <TextInput
            name={`accounts.${place}.name`}
            label="Called"
            columns={2}
            optional
            hint={`Empty: ${slug || 'as its slug'}`}
          />
          <Box
            sx={{ gridColumn: { xs: '1 / -1', sm: 'span 2' }, display: 'flex', gap: 1, alignItems: 'start' }}
          >
            <Box sx={{ flex: 1, display: 'grid' }}>
              <TextInput
                name={`accounts.${place}.link`}
                label="Link account"
                optional
                hint="By its id; empty: it is made"
              />
            </Box>
            <Remove what="this account" onClick={() => remove(place)} />
          </Box>
          <AccountUse place={place} />
          <CheckInput name={`accounts.${place}.people`} label="Its people become users of it" columns={6} />
        </Box>
      ))}
      <Button
        sx={{ mt: 1 }}
        onClick={() => append(newAccount(known[0]?.slug ?? ''))}
        disabled={!known.length}
      >
        {fields.length ? 'One more account' : 'An account in a cloud'}
      </Button>
    </>
  );
}

/** Whose what is used there is, where that is not clear; of one that is there already from which day on. */
function AccountUse({ place }: { place: number }) {
  const [projects, link] = useWatch<Values, ['projects', `accounts.${number}.link`]>({
    name: ['projects', `accounts.${place}.link`],
  });
  return (
    <>
      {projects.length > 1 && (
        <TextInput
          name={`accounts.${place}.project`}
          label="What is used there is of"
          columns={2}
          options={projects.map((each) => [each.slug, each.name] as const)}
          optional
        />
      )}
      {link.trim() && (
        <DateInput
          name={`accounts.${place}.billed_from`}
          label="Its own from, empty: today"
          columns={2}
          optional
        />
      )}
    </>
  );
}

function Projects() {
  const { fields, append, remove } = useFieldArray<Values, 'projects'>({ name: 'projects' });
  const { setValue } = useFormContext<Values>();
  return (
    <>
      {fields.map((field, place) => (
        <Box key={field.id} sx={{ ...COLUMNS, mt: 1 }}>
          <TextInput
            name={`projects.${place}.name`}
            label="Project"
            columns={3}
            onTyped={(text) => setValue(`projects.${place}.slug`, slugOf(text))}
          />
          <Box
            sx={{ gridColumn: { xs: '1 / -1', sm: 'span 3' }, display: 'flex', gap: 1, alignItems: 'center' }}
          >
            <Box sx={{ flex: 1, display: 'grid' }}>
              <TextInput name={`projects.${place}.slug`} label="Its slug" />
            </Box>
            <Remove what="this project" onClick={() => remove(place)} />
          </Box>
        </Box>
      ))}
      <Button onClick={() => append({ name: '', slug: '' })}>
        {fields.length ? 'One more project' : 'A project to begin with'}
      </Button>
    </>
  );
}
