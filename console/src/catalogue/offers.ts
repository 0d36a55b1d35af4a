/** Offers: who may order which tiers of a plan, under which names. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import type { Draft } from './catalogue';

export type Offer = Schemas['OfferBody'];

export type Floor = Draft<Schemas['FloorForm']>;
/** What is published, and what is edited, has each tier with its name. */
export type OfferForm = Omit<Draft<Schemas['OfferForm']>, 'tiers'> & { tiers?: Record<string, string> };

export const offersOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['offers', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/offers', { params: { path: { organisation } } }),
      ).items,
  });

/** To whom an offer is made, in words. */
export function toWords(to: string | string[] | undefined): string {
  if (Array.isArray(to)) return to.length ? to.join(', ') : 'nobody';
  return to === 'resellers' || to === 'tenants' ? `all ${to}` : 'everybody';
}

/** Whether an offer is made to an organisation that buys of who makes it. */
export function reaches(
  to: string | string[] | undefined,
  { slug, type }: { slug: string; type: string },
): boolean {
  if (Array.isArray(to)) return to.some((each) => each.split('/')[0] === slug);
  return to === undefined || to === 'all' || to === `${type}s`;
}
