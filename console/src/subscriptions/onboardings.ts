/** New customers of a seller: what is written of one, and what that comes to. */
import { type QueryClient, queryOptions } from '@tanstack/react-query';
import type { PlanForm, Tier } from '../catalogue/catalogue';
import { api, body, type Schemas } from '../shared/api';
import { addDays } from '../shared/dates';
import { isOpen } from '../tasks/tasks';
import { formatMoney } from '../shared/decimal';

const GOING = ['running', 'undoing'];
export type Onboarding = Schemas['OnboardingBody'];
export type Onboarded = Schemas['OnboardedBody'];
export type Wanted = Schemas['OnboardingSketch-Input'] & { name: string; slug: string };
export type OnboardingPolicy = Schemas['OnboardingPolicyBody'];
/** What is only tried: once it is done, trying it again would be refused. */
const TRIED = 'new customer tried';

/** Has everything but that asked for anew. */
export const refresh = (queries: QueryClient): Promise<void> =>
  queries.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== TRIED });

/** Ends what is being tried, as it is being done. */
export const stopTrying = (queries: QueryClient): Promise<void> =>
  queries.cancelQueries({ queryKey: [TRIED] });

type Subscribed = Schemas['OnboardingSubscription-Input'];

export const onboardingsOptions = (organisation: string, state: Onboarding['state'] | null) =>
  queryOptions({
    queryKey: ['onboardings', organisation, state],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/onboardings', {
          params: { path: { organisation }, query: state ? { state } : {} },
        }),
      ),
  });

export const onboardingOptions = (onboarding: string) =>
  queryOptions({
    queryKey: ['onboarding', onboarding],
    queryFn: async () =>
      body(await api.GET('/api/v1/onboardings/{onboarding}', { params: { path: { onboarding } } })),
    refetchInterval: (query) =>
      query.state.data?.task && isOpen(query.state.data.task) && GOING.includes(query.state.data.state)
        ? 700
        : false,
  });

/** What an onboarding that waits would do now. */
/** Of each account of a customer when something was measured in it first. */
export const firstReadingsOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['first readings', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/first-readings', {
          params: { path: { organisation } },
        }),
      ).items,
  });

export const tellingOptions = (onboarding: Onboarding) =>
  queryOptions({
    queryKey: [TRIED, onboarding.id, onboarding.version],
    queryFn: async () =>
      body(
        await api.POST('/api/v1/onboardings/{onboarding}/check', {
          params: { path: { onboarding: onboarding.id } },
        }),
      ),
    retry: false,
    staleTime: 0,
  });

/** What would happen with what is written. */
export const checkOptions = (organisation: string, wanted: Wanted) =>
  queryOptions({
    queryKey: [TRIED, organisation, wanted],
    queryFn: async ({ signal }) =>
      body(
        await api.POST('/api/v1/organisations/{organisation}/onboardings', {
          params: { path: { organisation } },
          body: { customers: [wanted], check: true },
          signal,
        }),
      ).items[0],
    placeholderData: (before) => before,
    retry: false,
    staleTime: 10_000,
  });

export const onboardingPoliciesOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['onboarding policies', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/onboarding-policies', {
          params: { path: { organisation } },
        }),
      ).items,
  });

/** Keeps what is written: as a new draft, or over the one that was read. */
export async function keep(
  organisation: string,
  before: Onboarding | undefined,
  wanted: Wanted,
): Promise<Onboarding> {
  if (!before)
    return body(
      await api.POST('/api/v1/organisations/{organisation}/onboardings/drafts', {
        params: { path: { organisation } },
        body: wanted,
      }),
    );
  return body(
    await api.PUT('/api/v1/onboardings/{onboarding}', {
      params: { path: { onboarding: before.id } },
      body: { version: before.version, wanted },
    }),
  );
}

/** A tier as the form has it; `kept` is what else is written of it. */
export interface TierValues {
  tier: string;
  quantity: string;
  starts_on: string;
  on_trial: boolean;
  accepted: boolean;
  kept: Partial<Subscribed>;
}

/** A person as the form has it: without `services` it orders whatever its role may. */
export interface PersonValues {
  email: string;
  role: string;
  services: string[] | null;
  cloud_user: boolean;
  programs: { name: string; role: string; days: string }[];
}

interface AccountValues {
  cloud: string;
  name: string;
  link: string;
  people: boolean;
  project: string;
  billed_from: string;
}

/** An account that is to be made in a cloud, as its form begins. */
export const newAccount = (cloud: string): AccountValues => ({
  cloud,
  name: '',
  link: '',
  people: false,
  project: '',
  billed_from: '',
});

export interface Values {
  name: string;
  slug: string;
  type: string;
  country: string;
  currency: string;
  tax_id: string;
  starts_on: string;
  segment: string;
  cost_centre: string;
  tiers: TierValues[];
  limits: Record<string, string>;
  /** Those that it is held to; without any, all that its seller may use. */
  sites: string[];
  /** Plans that are offered to it by name. */
  offers: string[];
  accounts: AccountValues[];
  people: PersonValues[];
  second_factor: boolean;
  welcome: string;
  projects: { name: string; slug: string }[];
}

export const NONE = 'none';
export const newTier = (): TierValues => ({
  tier: '',
  quantity: '1',
  starts_on: '',
  on_trial: false,
  accepted: false,
  kept: {},
});

/** What the form begins with: of a draft, or what follows from the seller. */
export function valuesOf(wanted: Partial<Wanted>, seller: { country: string; currency: string }): Values {
  return {
    name: wanted.name ?? '',
    slug: wanted.slug ?? '',
    type: wanted.type ?? 'tenant',
    country: wanted.country ?? seller.country,
    currency: wanted.currency ?? seller.currency,
    tax_id: wanted.details?.tax_id ?? '',
    starts_on: wanted.starts_on ?? '',
    segment: wanted.segment ?? '',
    cost_centre: wanted.cost_centre ?? '',
    tiers: wanted.subscriptions?.length
      ? wanted.subscriptions.map((each) => ({
          tier: `${each.plan}/${each.tier}`,
          quantity: String(each.quantity),
          starts_on: each.starts_on ?? '',
          on_trial: Boolean(each.trial_until),
          accepted: Boolean(each.accepted_terms),
          kept: each,
        }))
      : [newTier()],
    limits: Object.fromEntries(
      Object.entries(wanted.limits ?? {}).map(([measure, limit]) => [measure, limit ?? NONE]),
    ),
    sites: wanted.sites ?? [],
    offers: wanted.offers ?? [],
    accounts: (wanted.cloud_accounts ?? []).map(({ cloud, name, link, people, project, billed_from }) => ({
      cloud,
      name: name ?? '',
      link: link ?? '',
      people: people ?? false,
      project: project ?? '',
      billed_from: billed_from ?? '',
    })),
    second_factor: wanted.second_factor ?? false,
    welcome: wanted.welcome ?? '',
    people: wanted.people?.length ? wanted.people.map(personOf) : [newPerson('administrator')],
    projects: (wanted.projects ?? []).map(({ name, slug }) => ({ name, slug })),
  };
}

/** What is written in a form, over what else was written before; a row that is empty is not there. */
export function wantedOf(
  values: Values,
  before: Partial<Wanted>,
  plans: readonly PlanForm[],
  today: string,
): Wanted {
  const text = (written: string) => written.trim() || null;
  const tax = text(values.tax_id);
  const details = tax || before.details ? { ...(before.details ?? NO_DETAILS), tax_id: tax } : null;
  return {
    ...before,
    name: values.name.trim(),
    slug: values.slug.trim(),
    type: values.type,
    country: text(values.country),
    currency: text(values.currency),
    billing_zone: before.billing_zone ?? null,
    segment: text(values.segment),
    cost_centre: text(values.cost_centre),
    starts_on: text(values.starts_on),
    details,
    limits: Object.fromEntries(
      Object.entries(values.limits)
        .filter(([, limit]) => limit.trim())
        .map(([measure, limit]) => [measure, limit.trim() === NONE ? null : limit.trim()]),
    ),
    subscriptions: values.tiers
      .filter((each) => each.tier)
      .map((each) => subscribed(each, plans, values.starts_on || today)),
    sites: values.sites.length ? values.sites : null,
    offers: values.offers,
    cloud_accounts: values.accounts
      .filter((each) => each.cloud)
      .map(({ cloud, name, link, people, project, billed_from }) => ({
        cloud,
        name: text(name),
        link: text(link),
        people,
        // One that is not among its projects any more is not meant any more.
        project: values.projects.some((each) => each.slug === project) ? project : null,
        billed_from: text(link) ? text(billed_from) : null,
      })),
    second_factor: values.second_factor,
    welcome: text(values.welcome),
    people: values.people
      .filter((each) => each.email.trim())
      .map(({ email, role, programs, ...rest }) => ({
        ...rest,
        email: email.trim(),
        role: role as 'administrator',
        programs: programs
          .filter((each) => each.name.trim())
          .map((each) => ({
            name: each.name.trim(),
            role: each.role as 'sender',
            days: WHOLE.test(each.days.trim()) ? Number(each.days) : 90,
          })),
      })),
    projects: values.projects
      .filter((each) => each.name.trim())
      .map((each) => ({
        cost_centre: null,
        ...before.projects?.find((known) => known.slug === each.slug),
        name: each.name.trim(),
        slug: each.slug,
      })),
  };
}

type Person = NonNullable<Wanted['people']>[number];

export const newPerson = (role: string): PersonValues => ({
  email: '',
  role,
  services: null,
  cloud_user: true,
  programs: [],
});

const personOf = (person: Person): PersonValues => ({
  email: person.email,
  role: person.role ?? 'administrator',
  services: person.services ?? null,
  cloud_user: person.cloud_user ?? true,
  programs: (person.programs ?? []).map(({ name, role = 'sender', days = 90 }) => ({
    name,
    role,
    days: String(days),
  })),
});

const WHOLE = /^[1-9]\d{0,5}$/;

const NO_DETAILS: Schemas['DetailsGiven-Output'] = {
  legal_name: null,
  registration: null,
  tax_id: null,
  street: null,
  postal_code: null,
  town: null,
  region: null,
  email: null,
  phone: null,
  language: null,
  billing_contacts: [],
};

function subscribed(row: TierValues, plans: readonly PlanForm[], begins: string): Subscribed {
  const [plan = '', tier = ''] = row.tier.split('/');
  const form = plans.find((each) => each.plan === plan);
  const { trial, terms } = form ?? {};
  const ends = row.on_trial && trial ? addDays(row.starts_on || begins, Number(trial.days)) : null;
  return {
    name: null,
    project: null,
    choices: null,
    ...row.kept,
    plan,
    tier,
    quantity: WHOLE.test(row.quantity.trim()) ? Number(row.quantity) : 1,
    starts_on: row.starts_on || null,
    trial_until: ends,
    ends_on: ends && trial?.then === 'ends' ? ends : ends ? null : (row.kept.ends_on ?? null),
    accepted_terms: row.accepted ? (terms?.version ?? row.kept.accepted_terms ?? null) : null,
  };
}

/** Every tier that is on offer, as one thing to pick. */
export const tiersOnOffer = (plans: readonly PlanForm[]): [string, string][] =>
  plans.flatMap((plan) =>
    plan.tiers.map((tier: Tier): [string, string] => [
      `${plan.plan}/${tier.tier}`,
      `${plan.name} ${tier.name}`,
    ]),
  );

/** Fees a month, currency by currency. */
export const monthlyWords = (monthly: Onboarded['monthly']): string =>
  monthly.map(({ amount, currency }) => `${formatMoney(amount, currency)} ${currency}`).join(' and ');

const STATES: Record<Onboarding['state'], string> = {
  draft: 'Draft',
  waiting: 'Waits for approval',
  refused: 'Refused',
  withdrawn: 'Given up',
  running: 'Comes on board, step by step',
  done: 'On board',
  undoing: 'Is being taken back',
  undone: 'Taken back',
};
export const stateWords = (state: Onboarding['state']): string => STATES[state];

/** How far one is: what stands still until somebody looks is said so. */
export const howFar = ({ state, task }: Onboarding): string =>
  needsHand({ state, task }) ? 'Needs a hand' : stateWords(state);

const needsHand = ({ state, task }: Pick<Onboarding, 'state' | 'task'>): boolean =>
  GOING.includes(state) && task?.state === 'needs a hand';

/** Whether somebody is to do something about one. */
export const calls = (onboarding: Onboarding): boolean =>
  onboarding.state === 'waiting' || needsHand(onboarding);
