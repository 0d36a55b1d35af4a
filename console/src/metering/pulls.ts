/** Feeds that the service fetches itself: what is written of one, and how that goes. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import { momentName } from '../shared/dates';

export type Pull = Schemas['PullBody'];
export type PullForm = Schemas['PullForm-Input'];
type Query = NonNullable<PullForm['queries']>[number];
export type Tried = Schemas['PullTriedBody'];

export const pullOptions = (feed: string) =>
  queryOptions({
    queryKey: ['pull', feed],
    queryFn: async () => body(await api.GET('/api/v1/feeds/pull', { params: { query: { feed } } })),
    refetchInterval: (query) => (query.state.data?.kind && !query.state.data.paused ? 15_000 : false),
  });

export interface QueryValues {
  name: string;
  query: string;
  meter: string;
  unit: string;
  how: string;
  resource: string;
  owner: string;
  account: string;
  attributes: string;
  phases: string;
}

/** What of servers is told, and in which unit; of processors the meter says it. */
export const COUNTED = [
  ['servers', 'the server itself, one piece'],
  ['vcpus', 'its virtual processors'],
  ['ram', 'its memory, in MiB'],
  ['disk', 'its disk, in GiB'],
] as const;
export const TOLD_IN: Record<string, string> = { servers: 'piece', ram: 'MiB', disk: 'GiB' };

/** Whether it is asked what servers are; else what was measured hour by hour, or for files. */
export const isOfServers = (kind: string): boolean => kind === 'openstack servers';

/** Whether it is asked what was measured; else it has files. */
export const isMeasured = (kind: string): boolean => kind !== 'directory' && kind !== 'object store';

export interface PullValues {
  kind: string;
  names: string;
  endpoint: string;
  user: string;
  secret: string;
  starts_at: string;
  step_seconds: string;
  every_minutes: string;
  settles_minutes: string;
  queries: QueryValues[];
}

export const NEW_QUERY: QueryValues = {
  name: '',
  query: '',
  meter: '',
  unit: '',
  how: 'counter',
  resource: '',
  owner: '',
  account: '',
  attributes: '',
  phases: '',
};
export const NEW_SERVER_QUERY: QueryValues = {
  ...NEW_QUERY,
  query: 'servers',
  unit: 'piece',
  how: 'held',
  resource: 'id',
  account: 'project_id',
  attributes: 'size=flavor',
};

/** A query to begin with, of a kind. */
export const newQuery = (kind: string): QueryValues => (isOfServers(kind) ? NEW_SERVER_QUERY : NEW_QUERY);

/** What the form begins with: of what is set, or from today on. */
export const valuesOf = (pull: Pull['pull'], today: string): PullValues => ({
  kind: pull?.kind ?? 'prometheus',
  names: pull?.names ?? '*',
  endpoint: pull?.endpoint ?? '',
  user: pull?.user ?? '',
  secret: '',
  starts_at: (pull?.starts_at ?? today).slice(0, 10),
  step_seconds: String(pull?.step_seconds ?? 60),
  every_minutes: String(pull?.every_minutes ?? 60),
  settles_minutes: String(pull?.settles_minutes ?? 10),
  queries: pull ? pull.queries.map(queryOf) : [NEW_QUERY],
});

const queryOf = (query: Query): QueryValues => ({
  name: query.name,
  query: query.query,
  meter: query.meter,
  unit: query.unit,
  how: query.how,
  resource: query.resource.join(', '),
  owner: query.owner ?? '',
  account: query.account ?? '',
  attributes: pairsText(query.attributes ?? {}),
  phases: pairsText(query.phases ?? {}),
});

const pairsText = (pairs: Record<string, string>): string =>
  Object.entries(pairs)
    .map(([one, other]) => `${one}=${other}`)
    .join(', ');

const parts = (text: string): string[] =>
  text
    .split(',')
    .map((each) => each.trim())
    .filter(Boolean);

const pairsOf = (text: string): Record<string, string> =>
  Object.fromEntries(
    parts(text).map((pair) => pair.split('=').map((side) => side.trim()) as [string, string]),
  );

/** What is written in the form; a first hour that was set and whose day stays is kept. */
export function formOf(values: PullValues, before: Pull['pull']): PullForm {
  const kept = before?.starts_at.startsWith(values.starts_at);
  return {
    kind: values.kind as PullForm['kind'],
    endpoint: values.endpoint.trim(),
    user: (ASKS_USER.includes(values.kind) && values.user.trim()) || null,
    starts_at: kept && before ? before.starts_at : `${values.starts_at}T00:00:00Z`,
    step_seconds: Number(values.step_seconds),
    every_minutes: Number(values.every_minutes),
    settles_minutes: Number(values.settles_minutes),
    names: values.names.trim() || '*',
    queries: (isMeasured(values.kind) ? values.queries : []).map((each) => ({
      name: each.name.trim(),
      query: each.query.trim(),
      meter: each.meter,
      unit: each.unit.trim(),
      how: each.how as Query['how'],
      resource: parts(each.resource),
      owner: each.owner.trim() || null,
      account: each.account.trim() || null,
      attributes: pairsOf(each.attributes),
      phases: isOfServers(values.kind) ? pairsOf(each.phases) : {},
    })),
  };
}

const ASKS_USER = ['prometheus', 'object store'];

/** What can be asked. */
export const KINDS = [
  ['prometheus', 'A metrics server with the HTTP API of Prometheus'],
  ['openstack metrics', 'The metric service of an OpenStack cloud'],
  ['openstack servers', 'The servers of an OpenStack cloud'],
  ['directory', 'A directory of this machine'],
  ['object store', 'An object store, by the S3 protocol'],
] as const;

/** How it goes, in a sentence. */
export function pullWords(pull: Pull): string {
  if (pull.kind && !isMeasured(pull.kind)) return filesWords(pull);
  if (pull.paused)
    return `Its fetching rests; what it has reaches to ${momentName(pull.complete_until ?? '')}.`;
  const here = `The service fetches it: all is here until ${momentName(pull.complete_until ?? '')} UTC`;
  if (pull.quiet_from)
    return `${here}. Nothing was measured from ${momentName(pull.quiet_from)} on: once that is mended, fetch it again from there.`;
  if (pull.problem) return `${here}. The last run brought nothing: ${pull.problem}.`;
  return pull.behind ? `${here}, which is less than it should be by now.` : `${here}.`;
}

function filesWords(pull: Pull): string {
  const so = pull.paused ? 'Its fetching rests' : 'The service fetches its files';
  const count =
    `${pull.files} so far` + (pull.refused_files ? `, of which ${pull.refused_files} were not taken` : '');
  return pull.problem ? `${so}: ${count}. The last run: ${pull.problem}.` : `${so}: ${count}.`;
}
