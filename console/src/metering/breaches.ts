/** Where more is in use than a limit allows. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import { dayName } from '../shared/dates';
import { formatQuantity } from '../shared/decimal';
import { formatUnit } from '../shared/units';

export type Breach = Schemas['BreachBody'];

export const breachesOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['breaches', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/breaches', {
          params: { path: { organisation } },
        }),
      ).items,
  });

/** Whose use it is, where that is not the organisation that the page is about. */
export const whoseOf = (breach: Breach, organisation: string): string =>
  breach.project_name !== null
    ? ` of ${breach.project_name}`
    : breach.organisation !== organisation
      ? ` of ${breach.organisation_name}`
      : '';

/** How much is in use and allowed. */
export const usedOf = (breach: Breach): string =>
  `${formatQuantity(breach.used, 1)} ${formatUnit(breach.unit, breach.used)} in use, ` +
  `the ${breach.crossed} is ${formatQuantity(breach.limit)}`;

/** Its state, with the day until which that may be. */
export const stateOf = ({ state, grace_until }: Breach): string =>
  state === 'in grace' && grace_until ? `may be until ${dayName(grace_until.slice(0, 10))}` : state;
