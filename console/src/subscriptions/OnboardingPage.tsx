/** One new customer: as a draft that is written, as what waits to be decided, or as what became of it. */
import { Alert, Box, Button, Link } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import { Link as RouterLink, useNavigate, useParams } from 'react-router';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import { type PlanForm, plansOptions } from '../catalogue/catalogue';
import { organisationOptions } from '../organisations/organisations';
import { api, body, type Schemas } from '../shared/api';
import { momentName } from '../shared/dates';
import { Fact, Facts } from '../shared/Facts';
import { EntryDialog, TextInput, given } from '../shared/form';
import { Page } from '../shared/Page';
import { Query } from '../shared/States';
import { useToast } from '../shared/Toasts';
import { countryName } from '../shared/world';
import { Steps } from './OnboardingSteps';
import { OnboardingEditor } from './OnboardingEditor';
import { Standing } from './Standing';
import { type Onboarding, howFar, keep, onboardingOptions, refresh, tellingOptions } from './onboardings';

const CRUMBS = [{ to: '/onboardings', title: 'New customers' }];

export default function OnboardingPage() {
  const { id } = useParams();
  return id ? <One id={id} /> : <New />;
}

function New() {
  const { home } = useSignedIn();
  return (
    <Page
      title="A new customer"
      crumbs={CRUMBS}
      lead={`Of ${home.name}. What is left out follows from what it gets.`}
    >
      <Editing seller={home.organisation} />
    </Page>
  );
}

function One({ id }: { id: string }) {
  const onboarding = useQuery(onboardingOptions(id));
  return (
    <Query query={onboarding}>
      {(found) => (
        <Page
          title={found.wanted.name || 'A new customer'}
          crumbs={CRUMBS}
          lead={
            <>
              {howFar(found)}
              {found.state === 'draft' && found.answer && (
                <Alert severity="warning" variant="outlined" sx={{ mt: 1, maxWidth: 720 }}>
                  {found.answered_by} asks back: {found.answer}
                </Alert>
              )}
            </>
          }
        >
          {found.state === 'draft' ? (
            <Editing key={found.id} seller={found.seller} draft={found} />
          ) : (
            <Box sx={{ maxWidth: 720 }}>
              <History onboarding={found} />
              <Answers wanted={found.wanted} />
              {found.task && <Steps onboarding={found} task={found.task} />}
              {found.state === 'waiting' ? <Deciding onboarding={found} /> : <Ended onboarding={found} />}
            </Box>
          )}
        </Page>
      )}
    </Query>
  );
}

function Editing({ seller, draft }: { seller: string; draft?: Onboarding }) {
  const plans = useQuery(plansOptions);
  const organisation = useQuery(organisationOptions(seller));
  return (
    <Query query={organisation}>
      {(found) => (
        <Query query={plans}>
          {(known) => (
            <OnboardingEditor
              seller={found}
              draft={draft}
              plans={known.filter((each) => each.offered).map((each) => each.form as PlanForm)}
            />
          )}
        </Query>
      )}
    </Query>
  );
}

function History({ onboarding }: { onboarding: Onboarding }) {
  const { asked_by, asked_at, answered_by, answered_at, answer, state } = onboarding;
  return (
    <Box sx={{ fontSize: '0.9rem', color: 'text.secondary', mb: 2.5 }}>
      {asked_at &&
        `${state === 'waiting' ? 'Asked for' : 'Asked'} by ${asked_by}, ${momentName(asked_at)} UTC. `}
      {answered_at &&
        `${state === 'refused' ? 'Refused' : 'Approved'} by ${answered_by}, ${momentName(answered_at)} UTC`}
      {answered_at && (answer ? `: ${answer}` : '.')}
    </Box>
  );
}

/** What was written of it that the sentences do not say. */
function Answers({ wanted }: { wanted: Onboarding['wanted'] }) {
  const { details } = wanted;
  const told = [
    ['Slug', wanted.slug],
    ['Legal name', details?.legal_name],
    ['Tax number', details?.tax_id],
    ['Country', wanted.country && countryName(wanted.country)],
    ['Address', [details?.street, details?.postal_code, details?.town].filter(Boolean).join(', ')],
    ['Segment', wanted.segment],
    ['Cost centre', wanted.cost_centre],
  ].filter(([, value]) => value);
  return (
    <Box sx={{ mb: 2.5 }}>
      <Facts>
        {told.map(([title, value]) => (
          <Fact key={title} title={title ?? ''}>
            {value}
          </Fact>
        ))}
      </Facts>
    </Box>
  );
}

function Ended({ onboarding }: { onboarding: Onboarding }) {
  const done = onboarding.state === 'done';
  return (
    <>
      <Standing title={done ? 'What happened' : (TITLES[onboarding.state] ?? '')} told={onboarding} />
      {(onboarding.state === 'undone' || onboarding.state === 'refused') && <Again onboarding={onboarding} />}
      {onboarding.customer && ['running', 'done'].includes(onboarding.state) && (
        <Link
          component={RouterLink}
          to={`/organisations/${onboarding.customer}`}
          sx={{ display: 'inline-block', mt: 2.5 }}
        >
          Open {onboarding.wanted.name}
        </Link>
      )}
    </>
  );
}

/** What did not come on board is written anew, from what was written. */
function Again({ onboarding }: { onboarding: Onboarding }) {
  const { mayAt } = useSignedIn();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const again = useMutation({
    mutationFn: () => keep(onboarding.seller, undefined, onboarding.wanted),
    onSuccess: async (made) => {
      await refresh(queries);
      void navigate(`/onboardings/${made.id}`);
    },
  });
  if (!mayAt('manage subscriptions', onboarding.seller)) return null;
  return (
    <Button variant="outlined" sx={{ mt: 2.5 }} onClick={() => again.mutate()} loading={again.isPending}>
      Write it anew
    </Button>
  );
}

const TITLES: Partial<Record<Onboarding['state'], string>> = {
  running: 'What happens',
  refused: 'What was asked for',
  undoing: 'What is taken back',
  undone: 'What was taken back',
};

type Answer = Schemas['OnboardingAnswer'];

function Deciding({ onboarding }: { onboarding: Onboarding }) {
  const { mayAt } = useSignedIn();
  const telling = useQuery(tellingOptions(onboarding));
  const [saying, setSaying] = useState<'refuse' | 'ask back' | null>(null);
  const send = useSend(onboarding);
  const approve = useMutation({
    mutationFn: () => send({ answer: 'approve', seal: telling.data?.seal ?? null, reason: null }),
  });
  const decides = mayAt('manage organisations', onboarding.seller);
  return (
    <>
      {telling.isError ? (
        <>
          <Standing title="What was asked for" told={onboarding} />
          <Alert severity="error" variant="outlined" sx={{ mt: 2 }}>
            As things are now it cannot be done: {telling.error.message}
          </Alert>
        </>
      ) : (
        <Standing title="What will happen" told={telling.data ?? onboarding} stale={telling.isPending} />
      )}
      {approve.isError && (
        <Alert
          severity="error"
          variant="outlined"
          sx={{ mt: 2 }}
          action={
            <Button color="inherit" onClick={() => void telling.refetch().then(() => approve.reset())}>
              Look again
            </Button>
          }
        >
          {approve.error.message}
        </Alert>
      )}
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1, mt: 2.5, alignItems: 'center' }}>
        {decides && !onboarding.yours && (
          <>
            <Button
              variant="contained"
              disabled={!telling.data || telling.isError}
              loading={approve.isPending}
              onClick={() => approve.mutate()}
            >
              Approve it
            </Button>
            <Button onClick={() => setSaying('ask back')}>Ask back</Button>
            <Button onClick={() => setSaying('refuse')}>Refuse</Button>
          </>
        )}
        {mayAt('manage subscriptions', onboarding.seller) && <TakeBack onboarding={onboarding} />}
        {decides && onboarding.yours && (
          <Note>You asked for this yourself: another administrator approves it.</Note>
        )}
      </Box>
      {saying && (
        <AnswerDialog
          title={
            saying === 'refuse'
              ? `Refuse ${onboarding.wanted.name}`
              : `Ask back about ${onboarding.wanted.name}`
          }
          act={saying === 'refuse' ? 'Refuse it' : 'Ask back'}
          save={(reason) => send({ answer: saying, reason, seal: null })}
          onClose={() => setSaying(null)}
        />
      )}
    </>
  );
}

const Note = ({ children }: { children: ReactNode }) => (
  <Box sx={{ fontSize: '0.84rem', color: 'text.secondary' }}>{children}</Box>
);

function useSend({ id }: Onboarding) {
  const queries = useQueryClient();
  const say = useToast();
  return async (answer: Answer) => {
    const made = body(
      await api.POST('/api/v1/onboardings/{onboarding}/answer', {
        params: { path: { onboarding: id } },
        body: answer,
      }),
    );
    await refresh(queries);
    say(made.state === 'done' ? `${made.wanted.name} is on board.` : `Said: ${made.answer}`);
  };
}

function TakeBack({ onboarding }: { onboarding: Onboarding }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const back = useMutation({
    mutationFn: () =>
      api.POST('/api/v1/onboardings/{onboarding}/withdraw', {
        params: { path: { onboarding: onboarding.id } },
      }),
    onSuccess: async () => {
      await refresh(queries);
      void navigate(`/onboardings/${onboarding.id}`);
    },
  });
  return (
    <Button onClick={() => back.mutate()} loading={back.isPending}>
      Take it back
    </Button>
  );
}

const reasoned = z.object({ reason: given('Say why: the one who asked reads it') });

function AnswerDialog(props: {
  title: string;
  act: string;
  save: (reason: string) => Promise<void>;
  onClose: () => void;
}) {
  const { title, act, save, onClose } = props;
  return (
    <EntryDialog
      title={title}
      act={act}
      schema={reasoned}
      initial={{ reason: '' }}
      save={({ reason }) => save(reason)}
      onClose={onClose}
    >
      <TextInput name="reason" label="Why" lines={3} />
    </EntryDialog>
  );
}
