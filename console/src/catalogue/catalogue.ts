/** Services, plans and rate cards in their written forms. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type RateCard = Schemas['RateCardBody'];
export type RateCardVersion = Schemas['RateCardVersionBody'];

export interface Tier {
  tier: string;
  name: string;
  description: string;
  allowances: Record<string, string>;
  quotas: Record<string, string>;
}
export interface PlanForm {
  plan: string;
  name: string;
  description: string;
  services: string[];
  tiers: Tier[];
}
export interface ServiceForm {
  service: string;
  name: string;
  description: string;
  category: string;
  subcategory: string;
  attributes: Record<string, string[]>;
  meters: Record<string, { name: string; unit: string; combine: string }>;
}
export interface Rate {
  rate: string;
  meter?: string;
  where?: Record<string, string>;
  per?: string;
  price?: string;
  blocks?: { 'up-to'?: string; price: string }[];
  fee?: string;
}
export interface RateCardForm {
  currency: string;
  rates: Rate[];
}

export const plansOptions = queryOptions({
  queryKey: ['plans'],
  queryFn: async () => body(await api.GET('/api/v1/plans')).items,
});
export const servicesOptions = queryOptions({
  queryKey: ['services'],
  queryFn: async () => body(await api.GET('/api/v1/services')).items,
});
export const rateCardsOptions = queryOptions({
  queryKey: ['rate cards'],
  queryFn: async () => body(await api.GET('/api/v1/rate-cards')).items,
});

/** The rates of a version. */
export const formOf = (version: RateCardVersion): RateCardForm => version.form as unknown as RateCardForm;

/** The version in force, else the first to come. */
export const current = (card: RateCard): RateCardVersion | undefined =>
  card.versions.find((version) => version.in_force) ?? card.versions[0];
