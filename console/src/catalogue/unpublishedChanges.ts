/** Drafts of services, plans, offers and rate cards: kept with mistakes, published when they have none. */
import { queryOptions, useMutation, useQueryClient } from '@tanstack/react-query';
import { useNavigate } from 'react-router';
import { useSignedIn } from '../access/session';
import { api, body, Refusal, type Schemas } from '../shared/api';

export type Draft = Schemas['UnpublishedChangeBody'];
export type Change = Schemas['ChangeBody'];
export type Kind = 'service' | 'plan' | 'offer' | 'rate-card';
export type Form = Record<string, unknown>;

/** A mistake that keeps a draft from being published. */
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

export const draftsOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['drafts', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/unpublished-changes', {
          params: { path: { organisation } },
        }),
      ).items,
  });

export const draftOptions = (organisation: string, kind: Kind, slug: string) =>
  queryOptions({
    queryKey: ['drafts', organisation, kind, slug],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/unpublished-changes/{kind}/{slug}', {
          params: { path: { organisation, kind, slug } },
        }),
      ),
    refetchOnWindowFocus: false,
  });

/** Keep a draft over a version; null begins one. */
export async function saveDraft(
  organisation: string,
  kind: Kind,
  slug: string,
  form: Form,
  version: number | null,
): Promise<Draft> {
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

/** Open the draft of something published, begun from its newest version where there is none yet. */
export function useDraft(kind: Kind, slug: string, published: Form | undefined) {
  const { home, may } = useSignedIn();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const begin = useMutation({
    mutationFn: async () => {
      const there = await queries.fetchQuery({ ...draftsOptions(home.organisation), staleTime: 0 });
      if (there.some((draft) => draft.kind === kind && draft.slug === slug)) return;
      await saveDraft(home.organisation, kind, slug, { ...published }, null);
      await queries.invalidateQueries({ queryKey: ['drafts', home.organisation] });
    },
    onSuccess: () => void navigate(`/unpublished-changes/${kind}/${slug}`),
  });
  return {
    mayEdit: home.type !== 'tenant' && may('manage catalogue'),
    open: () => begin.mutate(),
    opening: begin.isPending,
  };
}
