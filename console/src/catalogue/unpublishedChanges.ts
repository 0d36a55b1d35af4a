/** Unpublished changes of services, plans, offers and rate cards: kept with mistakes, published when they have none. */
import { queryOptions, useMutation, useQueryClient } from '@tanstack/react-query';
import { useNavigate } from 'react-router';
import { useSignedIn } from '../access/session';
import { api, body, Refusal, type Schemas } from '../shared/api';

export type UnpublishedChange = Schemas['UnpublishedChangeBody'];
export type Change = Schemas['ChangeBody'];
export type Kind = 'service' | 'plan' | 'offer' | 'rate-card';
export type Form = Record<string, unknown>;

/** A mistake that keeps a change from being published. */
export interface Mistake {
  path: string;
  message: string;
}

export const KINDS: Record<Kind, string> = {
  service: 'Service',
  plan: 'Plan',
  offer: 'Offer',
  'rate-card': 'Rate card',
};

export const unpublishedChangesOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['unpublished changes', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/unpublished-changes', {
          params: { path: { organisation } },
        }),
      ).items,
  });

export const unpublishedChangeOptions = (organisation: string, kind: Kind, slug: string) =>
  queryOptions({
    queryKey: ['unpublished changes', organisation, kind, slug],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/unpublished-changes/{kind}/{slug}', {
          params: { path: { organisation, kind, slug } },
        }),
      ),
    refetchOnWindowFocus: false,
  });

/** Keep a change over a version; null begins one. */
export async function saveUnpublishedChange(
  organisation: string,
  kind: Kind,
  slug: string,
  form: Form,
  version: number | null,
): Promise<UnpublishedChange> {
  return body(
    await api.PUT('/api/v1/organisations/{organisation}/unpublished-changes/{kind}/{slug}', {
      params: {
        path: { organisation, kind, slug },
        header: version === null ? {} : { 'if-match': `"${version}"` },
      },
      body: { organisation, form },
    }),
  );
}

/** The mistakes that a refusal names. */
export function mistakes(error: Error | null): Mistake[] {
  if (!(error instanceof Refusal) || !Array.isArray(error.facts.problems)) return [];
  return error.facts.problems as Mistake[];
}

/** Open the unpublished change of something published, begun from its newest version where there is none yet. */
export function useUnpublishedChange(kind: Kind, slug: string, published: Form | undefined) {
  const { home, may } = useSignedIn();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const begin = useMutation({
    mutationFn: async () => {
      const there = await queries.fetchQuery({
        ...unpublishedChangesOptions(home.organisation),
        staleTime: 0,
      });
      if (there.some((change) => change.kind === kind && change.slug === slug)) return;
      await saveUnpublishedChange(home.organisation, kind, slug, { ...published }, null);
      await queries.invalidateQueries({ queryKey: ['unpublished changes', home.organisation] });
    },
    onSuccess: () => void navigate(`/unpublished-changes/${kind}/${slug}`),
  });
  return {
    mayEdit: home.type !== 'tenant' && may('manage catalogue'),
    open: () => begin.mutate(),
    opening: begin.isPending,
  };
}
