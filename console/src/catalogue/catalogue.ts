/** Services, plans and rate cards in their written forms. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type RateCard = Schemas['RateCardBody'];
export type RateCardVersion = Schemas['RateCardVersionBody'];

export interface Tier {
  tier: string;
  name: string;
  description?: string;
  allowances?: Record<string, string>;
  quotas?: Record<string, string>;
  levels?: Record<string, string>;
}
export interface PlanForm {
  plan: string;
  name: string;
  description?: string;
  services: string[];
  'minimum-months'?: string | number;
  renewal?: { months?: string | number; 'notice-days'?: string | number };
  trial?: { days: string | number; then?: string };
  terms?: { version: string; text: string };
  tiers: Tier[];
}
export interface Meter {
  name: string;
  unit: string;
  combine: string;
  counted?: string;
  statistic?: string;
  window?: string;
  across?: string;
}
export interface ServiceForm {
  service: string;
  name: string;
  description?: string;
  category: string;
  subcategory: string;
  attributes?: Record<string, string[]>;
  meters: Record<string, Meter>;
  phases?: string[];
  choices?: Record<string, { name: string; values: string[] }>;
  sizes?: string | Record<string, { name: string; amounts: Record<string, string> }>;
  requires?: string[];
  excludes?: string[];
  supplier?: string;
  licence?: string;
  internal?: Record<string, string>;
}
export interface Block {
  to?: string;
  price: string;
}
export type Where = string | string[] | { prefix: string } | { contains: string };
export interface Rate {
  rate: string;
  meter?: string;
  where?: Record<string, Where>;
  when?: { days?: string[]; from?: string; to?: string };
  over?: string;
  per?: string;
  price?: string;
  blocks?: Block[];
  'at-reached-step'?: boolean | string;
  lots?: { of: string; price: string };
  markup?: { percent: string; fixed?: string };
  allowance?: string;
  committed?: string;
  minimum?: string;
  cap?: string;
  started?: string;
  phases?: string[];
  fee?: string;
  every?: string;
  advance?: boolean | string;
  commitment?: string;
  spread?: string;
  by?: string;
  services?: string[];
}
export interface Discount {
  discount: string;
  name: string;
  percent?: string;
  amount?: string;
  rates?: string[];
  services?: string[];
  from?: string;
  until?: string;
}
export type Buyers =
  string | { type?: string; organisations?: string[]; countries?: string[]; segments?: string[] };
export interface RateCardForm {
  'rate-card': string;
  name: string;
  for?: Buyers;
  'at-renewal'?: string;
  overhead?: string;
  currency: string;
  'starts-on': string;
  rates: Rate[];
  discounts?: Discount[];
  derived?: Derived;
}
export interface OnTop {
  percent?: string;
  amount?: string;
}
export interface Derived {
  base: string;
  'on-top'?: OnTop;
  services?: Record<string, OnTop>;
  rates?: Record<string, OnTop>;
  'price-step'?: string;
  'notice-days'?: string;
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

/** Whom a rate card is for, in words. */
export function whomWords(buyers: Buyers | undefined): string {
  if (buyers === undefined || typeof buyers === 'string') return buyers ?? 'any';
  if (buyers.organisations?.length) return buyers.organisations.join(', ');
  const countries = buyers.countries?.length ? ` in ${buyers.countries.join(', ')}` : '';
  const segments = buyers.segments?.length ? ` of segment ${buyers.segments.join(' or ')}` : '';
  return `${buyers.type ?? 'any'}${countries}${segments}`;
}
