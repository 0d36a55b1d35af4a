/** Organisations, projects and quotas. */
import { queryOptions, useQuery } from '@tanstack/react-query';
import { useWhose } from '../access/figures';
import { useSignedIn } from '../access/session';
import { api, body, type Schemas } from '../shared/api';

export type Organisation = Schemas['OrganisationBody'];
/** What a new customer can be. */
export const TYPES = [
  ['tenant', 'Tenant: uses services itself'],
  ['reseller', 'Reseller: sells on to others'],
] as const;
export type Quota = Schemas['QuotaBody'];
export type Use = Schemas['UseBody'];
export type Project = Schemas['ProjectBody'];

/** A measure as people read it; of what flows, in which time. */
export const measureName = (measure: string, kind = 'stock'): string =>
  measure.charAt(0).toUpperCase() +
  measure.slice(1).replaceAll('-', ' ') +
  ({ monthly: ' a month', daily: ' a day', rate: ' a second' }[kind] ?? '');

/** So many are shown at once, as a tree that is all open; of more, one opens what one looks for. */
export const FEW = 200;

interface Asked {
  search?: string;
  parent?: string;
  state?: string;
  tag?: string;
  type?: 'provider' | 'reseller' | 'tenant';
  limit: number;
}

/** Some organisations by slug: those with a text in their name, in a state, with a tag, or those that one sells to. */
export const organisationsOptions = (asked: Asked) =>
  queryOptions({
    queryKey: ['organisations', asked],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations', { params: { query: asked as Asked & { state?: 'active' } } }),
      ),
  });

export const organisationOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['organisations', organisation],
    queryFn: async () =>
      body(await api.GET('/api/v1/organisations/{organisation}', { params: { path: { organisation } } })),
  });

export const quotasOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['quotas', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/quotas', { params: { path: { organisation } } }),
      ).items,
  });

/** What an organisation and all below it use of what quotas limit, now. */
export const usesOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['uses', organisation],
    queryFn: async () =>
      body(await api.GET('/api/v1/organisations/{organisation}/uses', { params: { path: { organisation } } }))
        .items,
    staleTime: 60_000,
  });

export const projectsOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['projects', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/projects', {
          params: { path: { organisation } },
        }),
      ).items,
  });

/** The organisation that a page is about; until it is known by name, by its slug. */
export function useLooked(): { slug: string; name: string; type: string; own: boolean } {
  const { home } = useSignedIn();
  const whose = useWhose();
  const own = whose === home.organisation;
  const { data } = useQuery({ ...organisationOptions(whose), enabled: !own });
  if (own) return { slug: whose, name: home.name, type: home.type, own };
  return { slug: whose, name: data?.name ?? whose, type: data?.type ?? 'tenant', own };
}

export interface Branch {
  organisation: Organisation;
  depth: number;
}

/** Organisations each after its parent, with depth; those whose names contain `search` and all above them. */
export function tree(all: readonly Organisation[], search: string): Branch[] {
  const children = new Map<string | null, Organisation[]>();
  const slugs = new Set(all.map((each) => each.slug));
  for (const each of all) {
    const parent = each.parent && slugs.has(each.parent) ? each.parent : null;
    children.set(parent, [...(children.get(parent) ?? []), each]);
  }
  const wanted = search.trim().toLowerCase();
  const walk = (parent: string | null, depth: number): Branch[] =>
    (children.get(parent) ?? []).flatMap((organisation) => {
      const below = walk(organisation.slug, depth + 1);
      const itself = `${organisation.slug} ${organisation.name}`.toLowerCase().includes(wanted);
      return itself || below.length ? [{ organisation, depth }, ...below] : [];
    });
  return walk(null, 0);
}
