/** Services, plans and rate cards in their written forms. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type RateCard = Schemas['RateCardBody'];
export type RateCardVersion = Schemas['RateCardVersionBody'];

/**
 * A written form while it is being edited: the published shape, with any text where one of a few words belongs, and
 * without null, as what is left out is not there.
 */
export type Draft<T> = T extends string
  ? string
  : T extends boolean | number
    ? T | string
    : T extends (infer U)[]
      ? Draft<U>[]
      : T extends object
        ? { [K in keyof T]: Draft<Exclude<T[K], null>> }
        : T;

export type PlanForm = Draft<Schemas['PlanForm']>;
export type Tier = PlanForm['tiers'][number];
export type ServiceForm = Draft<Schemas['ServiceForm']>;
export type Meter = ServiceForm['meters'][string];
export type Block = Draft<Schemas['BlockForm']>;
export type Where = NonNullable<Draft<Schemas['UsageRateForm']>['where']>[string];
type OfKind<T> = Partial<Omit<Draft<T>, 'rate'>>;
/** A rate of any kind; which one says the field that only that kind has. */
export type Rate = { rate: string } & OfKind<Schemas['UsageRateForm']> &
  OfKind<Schemas['FeeForm']> &
  OfKind<Schemas['CommitmentForm']> &
  OfKind<Schemas['SpreadForm']>;
export type Discount = Draft<Schemas['DiscountForm']>;
export type OnTop = Draft<Schemas['OnTopForm']>;
export type Derived = Omit<Draft<Schemas['DerivedForm']>, 'own'>;
export type RateCardForm = Omit<Draft<Schemas['RateCardForm']>, 'rates' | 'derived'> & {
  rates: Rate[];
  derived?: Derived;
};
export type Buyers = NonNullable<RateCardForm['for']>;

export const plansOptions = queryOptions({
  queryKey: ['plans'],
  queryFn: async () => body(await api.GET('/api/v1/plans')).items,
});
export { servicesOptions } from '../shared/services';
export const rateCardsOptions = queryOptions({
  queryKey: ['rate cards'],
  queryFn: async () => body(await api.GET('/api/v1/rate-cards')).items,
});

/** The rates of a version. */
export const formOf = (version: RateCardVersion): RateCardForm => version.form as RateCardForm;

/** The version in force, else the first to come. */
export const current = (card: RateCard): RateCardVersion | undefined =>
  card.versions.find((version) => version.in_force) ?? card.versions[0];

/** Whom a rate card is for, in words. */
export function whomWords(buyers: Buyers | undefined): string {
  if (buyers === undefined || typeof buyers === 'string') return buyers ?? 'any';
  if (buyers.organisations?.length) return buyers.organisations.join(', ');
  const countries = buyers.countries?.length ? ` in ${buyers.countries.join(', ')}` : '';
  const segments = buyers.segments?.length ? ` of segment ${buyers.segments.join(' or ')}` : '';
  return `${buyers.type ?? 'any'}${countries}${segments}`;
}

/** All meters, as choices. */
export const metersOf = (services: readonly Schemas['PublishedServiceBody'][]) =>
  services.flatMap(({ form }) =>
    Object.entries(form.meters ?? {}).map(
      ([slug, meter]) => [`${form.service}/${slug}`, `${form.name}: ${meter.name}`] as const,
    ),
  );

/** Whose prices these are; for whom, where the card says so: buyers are not told of others. */
export function leadOf(card: Pick<RateCard, 'seller' | 'currency' | 'buyers'>, own: string): string {
  const whose = card.seller === own ? 'Your prices' : `Prices of ${card.seller}`;
  const buyers = card.buyers === 'any' ? 'any buyer' : card.buyers;
  return `${whose}, in ${card.currency}${buyers && `, for ${buyers}`}.`;
}
