/** One unpublished change: written, checked, compared with what is published, published. */
import { Alert, Box, Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Controller, useForm, useWatch } from 'react-hook-form';
import { useNavigate, useParams } from 'react-router';
import { useSignedIn } from '../access/session';
import { api, body, Refusal } from '../shared/api';
import { Differences } from './Differences';
import { MistakeList, Mistakes } from './mistakes';
import { Page, Section } from '../shared/Page';
import { useToast } from '../shared/Toasts';
import { Empty, Query } from '../shared/States';
import type { PlanForm, RateCardForm, ServiceForm } from './catalogue';
import {
  type Change,
  type UnpublishedChange,
  type Form,
  type Kind,
  KINDS,
  unpublishedChangeOptions,
  mistakes,
  saveUnpublishedChange,
} from './unpublishedChanges';
import type { OfferForm } from './offers';
import { OfferEditor } from './OfferEditor';
import { PlanEditor } from './PlanEditor';
import { RateCardEditor } from './RateCardEditor';
import { ServiceEditor } from './ServiceEditor';

export default function UnpublishedChangePage() {
  const { kind = '', slug = '' } = useParams();
  const { home } = useSignedIn();
  const known = kind in KINDS ? (kind as Kind) : null;
  const written = useQuery({
    ...unpublishedChangeOptions(home.organisation, known ?? 'service', slug),
    enabled: known !== null,
  });
  if (known === null)
    return (
      <Page title="There is nothing here">
        <Empty title="Unpublished changes are of services, plans, offers and rate cards">
          Use the navigation to go on.
        </Empty>
      </Page>
    );
  return (
    <Query query={written}>
      {(found) => <Editor key={`${found.kind}/${found.slug}`} written={found} kind={known} />}
    </Query>
  );
}

function Editor({ written, kind }: { written: UnpublishedChange; kind: Kind }) {
  const { home } = useSignedIn();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const say = useToast();
  const options = unpublishedChangeOptions(home.organisation, kind, written.slug);
  const { control, formState, reset } = useForm<{ form: Form }>({
    defaultValues: { form: written.form },
  });
  const form = useWatch({ control, name: 'form' });
  const dirty = formState.isDirty;
  const [version, setVersion] = useState(written.version);
  const [asking, setAsking] = useState(false);
  const path = { organisation: home.organisation, kind, slug: written.slug };

  const save = useMutation({
    mutationFn: (over: number) => saveUnpublishedChange(home.organisation, kind, written.slug, form, over),
    onSuccess: (kept) => {
      reset({ form }, { keepValues: true });
      setVersion(kept.version);
      queries.setQueryData(options.queryKey, kept);
    },
  });
  const check = useMutation({
    mutationFn: async () => {
      if (dirty) await save.mutateAsync(version);
      return body(
        await api.POST('/api/v1/organisations/{organisation}/unpublished-changes/{kind}/{slug}/check', {
          params: { path },
        }),
      ).changes;
    },
  });
  const publish = useMutation({
    mutationFn: async () =>
      body(
        await api.POST('/api/v1/organisations/{organisation}/unpublished-changes/{kind}/{slug}/publish', {
          params: { path, header: { 'if-match': `"${version}"` } },
        }),
      ),
    onSuccess: async () => {
      queries.removeQueries({ queryKey: options.queryKey });
      await queries.invalidateQueries({ predicate: (query) => query.queryKey !== options.queryKey });
      void navigate(
        kind === 'rate-card' ? `/rate-cards?card=${home.organisation}/${written.slug}` : '/plans',
      );
    },
  });
  const discard = useMutation({
    mutationFn: async () =>
      api.DELETE('/api/v1/organisations/{organisation}/unpublished-changes/{kind}/{slug}', {
        params: { path },
      }),
    onSuccess: async () => {
      queries.removeQueries({ queryKey: options.queryKey });
      await queries.invalidateQueries({ queryKey: ['unpublished changes', home.organisation], exact: true });
      void navigate('/unpublished-changes');
      say('The change is discarded.', () =>
        saveUnpublishedChange(home.organisation, kind, written.slug, form, null),
      );
    },
  });
  useEffect(() => {
    const warn = (event: BeforeUnloadEvent) => event.preventDefault();
    if (dirty) window.addEventListener('beforeunload', warn);
    return () => window.removeEventListener('beforeunload', warn);
  }, [dirty]);

  const edited = save.error instanceof Refusal && save.error.code === 'edited_meanwhile' ? save.error : null;
  const other = [save.error, check.error, publish.error, discard.error].find(
    (error) => error && error !== edited && !mistakes(error).length,
  );
  const wrong = mistakes(check.error ?? publish.error);
  return (
    <Page
      title={(form.name as string) || written.slug}
      lead={`${KINDS[kind]} ${written.slug}, not published${dirty ? ', with changes that are not saved' : `, saved by ${written.edited_by}`}.`}
      filters={
        <>
          <Button onClick={() => discard.mutate()} loading={discard.isPending}>
            Discard
          </Button>
          <Button onClick={() => save.mutate(version)} disabled={!dirty} loading={save.isPending}>
            Save
          </Button>
          <Button variant="outlined" onClick={() => check.mutate()} loading={check.isPending}>
            Check
          </Button>
        </>
      }
      action={
        <Button variant="contained" disabled={!check.data || dirty} onClick={() => setAsking(true)}>
          Publish
        </Button>
      }
    >
      <Box sx={{ display: 'grid', gap: 2, mb: 3 }} aria-live="polite">
        {edited && (
          <Alert
            severity="warning"
            variant="outlined"
            action={
              <>
                <Button
                  color="inherit"
                  onClick={() => {
                    save.reset();
                    void queries.fetchQuery({ ...options, staleTime: 0 }).then((theirs) => {
                      reset({ form: theirs.form });
                      setVersion(theirs.version);
                    });
                  }}
                >
                  Take theirs
                </Button>
                <Button
                  color="inherit"
                  disabled={typeof edited.facts.version !== 'number'}
                  onClick={() => save.mutate(edited.facts.version as number)}
                >
                  Save mine over it
                </Button>
              </>
            }
          >
            {edited.message}
          </Alert>
        )}
        {other && (
          <Alert severity="error" variant="outlined">
            {other.message}
          </Alert>
        )}
        {wrong.length > 0 && (
          <Alert severity="error" variant="outlined">
            <Mistakes value={wrong}>
              <MistakeList form={form} />
            </Mistakes>
          </Alert>
        )}
        {check.data && !dirty && <Changes changes={check.data} />}
      </Box>
      <Mistakes value={wrong}>
        <Controller
          control={control}
          name="form"
          render={({ field }) => {
            const change = (next: object) => {
              check.reset();
              publish.reset();
              field.onChange(next);
            };
            return <KindEditor kind={kind} form={field.value} onChange={change} />;
          }}
        />
      </Mistakes>
      {asking && (
        <Dialog open onClose={() => setAsking(false)} aria-labelledby="publish-title">
          <DialogTitle id="publish-title">Publish {(form.name as string) || written.slug}</DialogTitle>
          <DialogContent>
            {check.data?.map((each) => `${KINDS[each.kind as Kind]} ${each.slug}, version ${each.version}.`)}{' '}
            A published version never changes; a later version can replace it.
          </DialogContent>
          <DialogActions>
            <Button onClick={() => setAsking(false)}>Cancel</Button>
            <Button
              variant="contained"
              loading={publish.isPending}
              onClick={() => publish.mutate(undefined, { onSettled: () => setAsking(false) })}
            >
              Publish it
            </Button>
          </DialogActions>
        </Dialog>
      )}
    </Page>
  );
}

function KindEditor(props: { kind: Kind; form: Form; onChange: (next: object) => void }) {
  const { kind, form, onChange } = props;
  if (kind === 'service') return <ServiceEditor form={form as unknown as ServiceForm} onChange={onChange} />;
  if (kind === 'plan') return <PlanEditor form={form as unknown as PlanForm} onChange={onChange} />;
  if (kind === 'offer') return <OfferEditor form={form as unknown as OfferForm} onChange={onChange} />;
  return <RateCardEditor form={form as unknown as RateCardForm} onChange={onChange} />;
}

function Changes({ changes }: { changes: Change[] }) {
  const rows = changes.flatMap((change) => change.differences);
  const [first] = changes;
  return (
    <>
      <Alert severity="success" variant="outlined">
        No mistakes. Publishing makes{' '}
        {first?.change === 'unchanged'
          ? 'no new version: nothing differs.'
          : `version ${first?.version ?? 1}.`}
      </Alert>
      {rows.length > 0 && (
        <Section title="What differs from the version before">
          <Differences rows={rows} />
        </Section>
      )}
    </>
  );
}
