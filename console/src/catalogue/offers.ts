/** Offers: who may order which tiers of a plan, under which names. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type Offer = Schemas['OfferBody'];

export interface Floor {
  currency: string;
  price: string;
  meter?: string;
  per?: string;
  tier?: string;
}
export interface OfferForm {
  offer: string;
  to?: string | string[];
  name?: string;
  description?: string;
  tiers?: Record<string, string>;
  recommended?: string;
  floors?: Floor[];
}

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
