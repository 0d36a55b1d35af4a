/** Requests for other limits: those of one organisation, to be asked, taken back or answered. */
import { Button } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import { api, body } from '../shared/api';
import { AskedList } from '../shared/Asked';
import { momentName } from '../shared/dates';
import { compare, formatQuantity } from '../shared/decimal';
import { EntryDialog, Remark, TextInput, decimal, given } from '../shared/form';
import { Section } from '../shared/Page';
import { useToast } from '../shared/Toasts';
import { formatUnit } from '../shared/units';
import { type Organisation, type Quota, measureName } from './organisations';
import { type QuotaRequest, quotaRequestsOptions } from './quotaRequests';

const SHOWN = 6;
const of = (amount: string, { unit }: { unit: string }): string =>
  `${formatQuantity(amount)} ${formatUnit(unit, amount)}`;

/** What an organisation asks for, as itself or as its seller sees it; nothing where nobody asked. */
export function QuotaRequests({ organisation }: { organisation: Organisation }) {
  const { home, may } = useSignedIn();
  const queries = useQueryClient();
  const own = organisation.slug === home.organisation;
  const requests = useQuery(quotaRequestsOptions(organisation.slug));
  const [answering, setAnswering] = useState<{ request: QuotaRequest; refuses: boolean } | null>(null);
  const withdraw = useMutation({
    mutationFn: (request: string) =>
      api.POST('/api/v1/quota-requests/{request}/withdraw', { params: { path: { request } } }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['quotas'] }),
  });
  // Asked by it, not of it; what waits for an answer first.
  const asked = (requests.data ?? []).filter((each) => each.organisation === organisation.slug);
  const shown = asked.toSorted((one, other) => Number(one.state !== 'open') - Number(other.state !== 'open'));
  if (!shown.length) return null;
  return (
    <Section title={own ? 'What you asked for' : 'What it asks for'}>
      <AskedList
        items={shown.slice(0, SHOWN).map((each) => ({
          key: each.id,
          what: `${measureName(each.measure)}: ${of(each.asked, each)}${insteadOf(each)}, `,
          state: each.state,
          after: each.answered !== null && `: ${of(each.answered, each)}`,
          detail:
            `${momentName(each.asked_at)}, ${each.asked_by}: ${each.reason}` +
            (each.answer === null ? '' : ` — ${each.seller_name}: ${each.answer}`),
          acts:
            each.state === 'open' &&
            may('manage quotas') &&
            (own ? (
              <Button loading={withdraw.isPending} onClick={() => withdraw.mutate(each.id)}>
                Take it back
              </Button>
            ) : (
              <>
                <Button onClick={() => setAnswering({ request: each, refuses: true })}>Refuse</Button>
                <Button variant="outlined" onClick={() => setAnswering({ request: each, refuses: false })}>
                  Give it
                </Button>
              </>
            )),
        }))}
      />
      {answering && <AnswerDialog {...answering} onClose={() => setAnswering(null)} />}
    </Section>
  );
}

const insteadOf = ({ present, state }: QuotaRequest): string =>
  present !== null && state === 'open' ? ` in place of ${formatQuantity(present)}` : '';

const answer = z.object({ limit: decimal(), reason: z.string() });

function AnswerDialog({
  request,
  refuses,
  onClose,
}: {
  request: QuotaRequest;
  refuses: boolean;
  onClose: () => void;
}) {
  const queries = useQueryClient();
  const say = useToast();
  const send = async (limit: string | null, reason: string) => {
    const made = body(
      await api.POST('/api/v1/quota-requests/{request}/answer', {
        params: { path: { request: request.id } },
        body: { limit, reason: reason.trim() || null },
      }),
    );
    await queries.invalidateQueries();
    say(`The request of ${request.organisation_name} is ${made.state}.`);
  };
  if (refuses)
    return (
      <EntryDialog
        title={`Refuse ${request.organisation_name}`}
        act="Refuse"
        schema={z.object({ reason: given('It reads why') })}
        initial={{ reason: '' }}
        save={({ reason }) => send(null, reason)}
        onClose={onClose}
      >
        <TextInput name="reason" label="Reason" hint={`${request.organisation_name} reads it`} lines={2} />
      </EntryDialog>
    );
  return (
    <EntryDialog
      title={`${measureName(request.measure)} of ${request.organisation_name}`}
      act="Give it"
      schema={answer}
      initial={{ limit: request.asked, reason: '' }}
      save={({ limit, reason }) => send(limit, reason)}
      onClose={onClose}
    >
      <Remark>
        It has {request.present === null ? 'no limit' : of(request.present, request)} and asks for{' '}
        {of(request.asked, request)}: {request.reason}
      </Remark>
      <TextInput name="limit" label="Limit" unit={formatUnit(request.unit, '0')} columns={3} />
      <TextInput name="reason" label="What you say to it" columns={3} optional />
    </EntryDialog>
  );
}

const asking = z.object({ limit: decimal(), reason: given('Your seller wants to know why') });

/** Asks the seller for more of a measure. */
export function AskDialog({
  organisation,
  quota,
  onClose,
}: {
  organisation: Organisation;
  quota: Quota;
  onClose: () => void;
}) {
  const queries = useQueryClient();
  const say = useToast();
  const save = async ({ limit, reason }: z.infer<typeof asking>) => {
    body(
      await api.POST('/api/v1/organisations/{organisation}/quota-requests', {
        params: { path: { organisation: organisation.slug } },
        body: { measure: quota.measure, limit, reason },
      }),
    );
    await queries.invalidateQueries({ queryKey: ['quotas'] });
    say(`Your seller is asked for ${of(limit, quota)} of ${measureName(quota.measure).toLowerCase()}.`);
  };
  return (
    <EntryDialog
      title={`Ask for more ${measureName(quota.measure).toLowerCase()}`}
      act="Ask"
      schema={asking}
      initial={{ limit: '', reason: '' }}
      save={save}
      onClose={onClose}
    >
      <Remark>
        You have {of(quota.limit ?? '0', quota)}
        {compare(quota.left ?? '0', '0') > 0 && `, of which ${formatQuantity(quota.left ?? '0')} are free`}.
        Asking holds nothing; your seller gives it, less, or nothing.
      </Remark>
      <TextInput name="limit" label="Wanted in all" unit={formatUnit(quota.unit, '0')} columns={3} />
      <TextInput name="reason" label="Why" columns={3} />
    </EntryDialog>
  );
}
