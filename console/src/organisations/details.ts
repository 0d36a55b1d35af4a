/** What organisations are on paper, and their states. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type Details = Schemas['DetailsBody'];
export type States = Schemas['StatesBody'];
export type State = Schemas['StateBody'];
export type NextState = Schemas['NextStateBody'];

/** For its own members and its direct seller's; others are refused. */
export const detailsOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['organisations', organisation, 'details'],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/details', { params: { path: { organisation } } }),
      ),
    retry: false,
  });

export const statesOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['organisations', organisation, 'states'],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/states', { params: { path: { organisation } } }),
      ),
  });

/** The act that brings an organisation into a state, on a button. */
export const stateAct = (state: string): string =>
  ({
    active: 'Make it active',
    suspended: 'Suspend it',
    closing: 'Close it down',
    closed: 'Close it for good',
  })[state] ?? state;
