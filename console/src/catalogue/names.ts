/** What people call what is sold; the slugs stay for files and the command line. */
import { useQuery } from '@tanstack/react-query';
import {
  type PlanForm,
  type ServiceForm,
  plansOptions,
  rateCardsOptions,
  servicesOptions,
} from './catalogue';
import type { CalledBy } from './rates';

/** In place of a service: what quotas promise, measure by measure. */
export const PROMISED = 'promised';

/** Names of services by slug; what one does not see is called by its slug. */
export function useNames() {
  const services = useQuery(servicesOptions);
  const formOf = (slug: string) =>
    services.data?.find((each) => each.slug === slug)?.form as ServiceForm | undefined;
  const service = (slug: string) => formOf(slug)?.name ?? slug;
  return {
    service,
    /** A meter with its service, like Network: Data sent out. */
    meter: (key: string) => {
      const [of = '', slug = ''] = key.split('/');
      if (of === PROMISED) return `Promised ${slug}`;
      const meter = formOf(of)?.meters[slug];
      return meter ? `${service(of)}: ${meter.name}` : key;
    },
    /** The attributes that usage of a meter may have. */
    attributes: (key: string) => {
      const form = formOf(key.split('/')[0] ?? '');
      return [...(form?.phases?.length ? ['phase'] : []), ...Object.keys(form?.attributes ?? {})];
    },
    choice: (key: string) => {
      const [of = '', slug = ''] = key.split('/');
      return formOf(of)?.choices?.[slug]?.name ?? slug;
    },
  };
}

/** Names of plans and their tiers by slug. */
export function usePlanNames() {
  const plans = useQuery(plansOptions);
  const formOf = (slug: string) =>
    plans.data?.find((each) => each.slug === slug)?.form as PlanForm | undefined;
  return {
    plan: (slug: string) => formOf(slug)?.name ?? slug,
    /** Whether somebody who is held to services orders, or sells, a plan. */
    within: (held: readonly string[] | null | undefined, slug: string) =>
      !held || (formOf(slug)?.services ?? []).every((each) => held.includes(each)),
    tier: (plan: string, slug: string) =>
      formOf(plan)?.tiers.find((each) => each.tier === slug)?.name ?? slug,
  };
}

/** What people call all that a rate may price. */
export function useCalled(): CalledBy {
  const { meter, service } = useNames();
  const plans = usePlanNames();
  return { meter, service, tier: (plan, tier) => `${plans.plan(plan)} ${plans.tier(plan, tier)}` };
}

/** The name of one of a seller's rate cards by slug. */
export function useCardName(seller: string) {
  const cards = useQuery(rateCardsOptions);
  return (slug: string) =>
    cards.data?.find((each) => each.seller === seller && each.slug === slug)?.name ?? slug;
}
