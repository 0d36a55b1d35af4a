/** A draft of a new customer, written beside what will happen; anybody who may write drafts goes on with it. */
import { Alert, Box, Button } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useMemo, useState } from 'react';
import { FormProvider, type Path, useForm, useWatch } from 'react-hook-form';
import { zodResolver } from '@hookform/resolvers/zod';
import { useNavigate } from 'react-router';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import type { PlanForm } from '../catalogue/catalogue';
import type { Organisation } from '../organisations/organisations';
import { Refusal, api, body } from '../shared/api';
import { momentName } from '../shared/dates';
import { given, optionalDay, slug, whole } from '../shared/form';
import { useSettled } from '../shared/settled';
import { useToast } from '../shared/Toasts';
import { OnboardingForm } from './OnboardingForm';
import { Standing } from './Standing';
import {
  type Onboarding,
  type Values,
  type Wanted,
  checkOptions,
  keep,
  refresh,
  stopTrying,
  valuesOf,
  wantedOf,
} from './onboardings';

const limit = z.string().check(z.trim(), z.regex(/^(none|\d+(\.\d{1,6})?)?$/, 'A number, or none'));
const schema = z.object({
  name: given('The name that people read'),
  slug,
  type: z.string(),
  country: given('The country where it is taxed'),
  currency: given('The currency of its invoices'),
  tax_id: z.string(),
  starts_on: optionalDay,
  segment: z.string(),
  cost_centre: z.string(),
  tiers: z.array(
    z.object({
      tier: z.string(),
      quantity: whole,
      starts_on: optionalDay,
      on_trial: z.boolean(),
      accepted: z.boolean(),
      kept: z.custom<Values['tiers'][number]['kept']>(() => true),
    }),
  ),
  limits: z.record(z.string(), limit),
  sites: z.array(z.string()),
  offers: z.array(z.string()),
  accounts: z.array(
    z.object({
      cloud: z.string(),
      name: z.string(),
      link: z.string(),
      people: z.boolean(),
      project: z.string(),
      billed_from: z.string(),
    }),
  ),
  people: z.array(
    z.object({
      email: z.string().check(z.trim(), z.regex(/^(\S+@\S+)?$/, 'An address, as in you@example.org')),
      role: z.string(),
      services: z.nullable(z.array(z.string())),
      cloud_user: z.boolean(),
      programs: z.array(
        z.object({
          name: z.string(),
          role: z.string(),
          days: z.string().check(z.regex(/^[1-9]\d{0,2}$/, 'A whole number of days')),
        }),
      ),
    }),
  ),
  projects: z.array(z.object({ name: z.string(), slug: z.string() })),
  second_factor: z.boolean(),
  welcome: z.string(),
});
/** The fields of the form that a refusal may name. */
const NAMED: readonly string[] = [
  'name',
  'slug',
  'country',
  'currency',
  'tax_id',
  'starts_on',
  'segment',
  'cost_centre',
  'welcome',
];
const PLEASE =
  'Give it a name, and what will happen stands here: what it gets, who is invited, what it costs.';

export function OnboardingEditor(props: {
  seller: Organisation;
  plans: readonly PlanForm[];
  draft?: Onboarding | undefined;
}) {
  const { seller, plans, draft } = props;
  const { session, mayAt } = useSignedIn();
  const today = session.now.slice(0, 10);
  const before: Partial<Wanted> = useMemo(() => draft?.wanted ?? {}, [draft]);
  const form = useForm<Values>({
    resolver: zodResolver(schema),
    defaultValues: valuesOf(before, seller),
    mode: 'onBlur',
  });
  const typed = useWatch({ control: form.control, compute: (values: Values) => JSON.stringify(values) });
  const settled = useSettled(typed);
  const wanted = useMemo(
    () => wantedOf(JSON.parse(settled) as Values, before, plans, today),
    [settled, before, plans, today],
  );
  const ready = Boolean(wanted.name && wanted.slug);
  const acts = useActs(seller, draft, () => wantedOf(form.getValues(), before, plans, today));
  const [making, setMaking] = useState(false);
  const make = () => {
    setMaking(true);
    acts.submit.mutate(undefined, { onError: () => setMaking(false) });
  };
  // Once it is being made, looking whether it could be would be refused.
  const check = useQuery({ ...checkOptions(seller.slug, wanted), enabled: ready && !making });
  useRefusalAtItsField(check.error ?? acts.submit.error, (name, message) => form.setError(name, { message }));
  const refused = ready && !check.isFetching ? check.error : null;
  const alone = mayAt('manage organisations', seller.slug) && !check.data?.waits_because;
  const failed = acts.submit.error ?? acts.save.error;
  return (
    <FormProvider {...form}>
      <Box
        component="form"
        noValidate
        onSubmit={(event) => void form.handleSubmit(make)(event)}
        sx={{
          display: 'grid',
          gridTemplateColumns: { xs: '1fr', md: 'minmax(0, 1fr) 360px' },
          columnGap: 5,
          alignItems: 'start',
        }}
      >
        <OnboardingForm seller={seller} plans={plans} />
        <Box
          sx={{
            position: { md: 'sticky' },
            top: { md: 72 },
            bgcolor: 'background.paper',
            p: 2.5,
            border: '1px solid',
            borderColor: 'divider',
          }}
        >
          {ready && check.data && !refused ? (
            <Standing
              title="What will happen"
              told={check.data}
              stale={check.isFetching || settled !== typed}
            />
          ) : (
            <Standing title="What will happen" told={{ sentences: [], monthly: [] }}>
              <Box
                role={refused ? 'alert' : undefined}
                sx={{ fontSize: '0.9rem', color: refused ? 'error.main' : 'text.secondary' }}
              >
                {refused ? `Not like this yet: ${refused.message}.` : PLEASE}
              </Box>
            </Standing>
          )}
          {failed && failed !== refused && (
            <Alert severity="error" variant="outlined" sx={{ mt: 2 }}>
              {failed.message}
            </Alert>
          )}
          <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1, mt: 2.5 }}>
            <Button type="submit" variant="contained" loading={acts.submit.isPending}>
              {alone ? 'Bring it on board' : 'Ask for approval'}
            </Button>
            <Button onClick={() => acts.save.mutate()} loading={acts.save.isPending}>
              Save the draft
            </Button>
            {draft && (
              <Button onClick={() => acts.discard.mutate()} loading={acts.discard.isPending}>
                Give it up
              </Button>
            )}
          </Box>
          {draft && (
            <Box sx={{ mt: 1.5, fontSize: '0.8rem', color: 'text.secondary' }}>
              Last changed by {draft.changed_by}, {momentName(draft.changed_at)} UTC
            </Box>
          )}
        </Box>
      </Box>
    </FormProvider>
  );
}

function useRefusalAtItsField(
  problem: Error | null,
  say: (name: Path<Values>, message: string) => void,
): void {
  useEffect(() => {
    const field = problem instanceof Refusal ? String(problem.facts.field ?? '') : '';
    if (problem && NAMED.includes(field))
      say(field as Path<Values>, problem.message.replace(`${field}: `, ''));
    // Said once for each refusal, whoever says it.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [problem]);
}

function useActs(seller: Organisation, draft: Onboarding | undefined, read: () => Wanted) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const toast = useToast();
  const saved = async () => {
    const kept = await keep(seller.slug, draft, read());
    queries.setQueryData(['onboarding', kept.id], kept);
    void queries.invalidateQueries({ queryKey: ['onboardings'] });
    return kept;
  };
  const save = useMutation({
    mutationFn: saved,
    onSuccess: (kept) => {
      toast('The draft is saved.');
      void navigate(`/onboardings/${kept.id}`, { replace: true });
    },
  });
  const submit = useMutation({
    mutationFn: async () => {
      await stopTrying(queries);
      const kept = await saved();
      try {
        return body(
          await api.POST('/api/v1/onboardings/{onboarding}/submit', {
            params: { path: { onboarding: kept.id } },
            body: { version: kept.version },
          }),
        );
      } catch (problem) {
        // What is written is kept all the same.
        void navigate(`/onboardings/${kept.id}`, { replace: true });
        throw problem;
      }
    },
    onSuccess: async (done) => {
      // Else its page would begin with the draft that was saved just before, and try that.
      queries.setQueryData(['onboarding', done.id], done);
      await refresh(queries);
      void navigate(`/onboardings/${done.id}`, { replace: true });
    },
  });
  const discard = useMutation({
    mutationFn: async () => {
      if (draft)
        await api.DELETE('/api/v1/onboardings/{onboarding}', { params: { path: { onboarding: draft.id } } });
    },
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['onboardings'] });
      void navigate('/onboardings');
    },
  });
  return { save, submit, discard };
}
