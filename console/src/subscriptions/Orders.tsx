/** Orders of one organisation, as itself or as its seller sees them: taken back, approved or refused. */
import { Alert, Button } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import type { Organisation } from '../organisations/organisations';
import { api, body } from '../shared/api';
import { AskedList } from '../shared/Asked';
import { momentName } from '../shared/dates';
import { EntryDialog, Remark, TextInput, given } from '../shared/form';
import { Section } from '../shared/Page';
import { useToast } from '../shared/Toasts';
import { type Order, addsWords, approverOf, becameOf, changedWords, ordersOptions } from './orders';

const SHOWN = 8;

/** What an organisation ordered; nothing where it never did. */
export function Orders({ organisation }: { organisation: Organisation }) {
  const { home, may } = useSignedIn();
  const queries = useQueryClient();
  const own = organisation.slug === home.organisation;
  const sells = organisation.parent === home.organisation;
  const answers = (order: Order) =>
    order.waits_for === 'own' ? own && may('manage members') : sells && may('manage subscriptions');
  const orders = useQuery({ ...ordersOptions(organisation.slug), enabled: own || sells });
  const [answering, setAnswering] = useState<{ order: Order; approves: boolean } | null>(null);
  const withdraw = useMutation({
    mutationFn: (order: string) =>
      api.POST('/api/v1/orders/{order}/withdraw', { params: { path: { order } } }),
    onSuccess: () => queries.invalidateQueries(),
  });
  const placed = (orders.data ?? []).filter((each) => each.organisation === organisation.slug);
  const shown = placed.toSorted(
    (one, other) => Number(one.state !== 'waiting') - Number(other.state !== 'waiting'),
  );
  if (!shown.length) return null;
  return (
    <Section title={own ? 'What you ordered' : 'What it ordered'}>
      <AskedList
        items={shown.slice(0, SHOWN).map((each) => ({
          key: each.id,
          what: `${[each.what, addsWords(each)].filter(Boolean).join(', ')}: `,
          state: each.state === 'waiting' ? `waits for ${own ? approverOf(each) : 'you'}` : each.state,
          detail: detailOf(each),
          acts: each.state === 'waiting' && (
            <>
              {own && may('order') && (
                <Button loading={withdraw.isPending} onClick={() => withdraw.mutate(each.id)}>
                  Take it back
                </Button>
              )}
              {answers(each) && (
                <>
                  <Button onClick={() => setAnswering({ order: each, approves: false })}>Refuse</Button>
                  <Button variant="outlined" onClick={() => setAnswering({ order: each, approves: true })}>
                    Approve
                  </Button>
                </>
              )}
            </>
          ),
        }))}
      />
      {answering && <AnswerDialog {...answering} onClose={() => setAnswering(null)} />}
    </Section>
  );
}

/** When and by whom, the customer's own number, why, and what was said to it. */
function detailOf(order: Order): string {
  const asked = [
    `${momentName(order.asked_at)}, ${order.asked_by}`,
    order.purchase_order,
    order.reason,
    order.changed.length && changedWords(order),
  ];
  const answer = order.answer === null ? '' : ` — ${order.answered_by}: ${order.answer}`;
  return asked.filter(Boolean).join(' · ') + answer;
}

function AnswerDialog(props: { order: Order; approves: boolean; onClose: () => void }) {
  const { order, approves, onClose } = props;
  const queries = useQueryClient();
  const say = useToast();
  const save = async ({ reason }: { reason: string }) => {
    const made = body(
      await api.POST('/api/v1/orders/{order}/answer', {
        params: { path: { order: order.id } },
        body: {
          approve: approves,
          amount: approves ? order.amount : null,
          seal: approves ? order.seal : null,
          reason: reason.trim() || null,
        },
      }),
    );
    await queries.invalidateQueries();
    say(approves ? becameOf(made) : `The order of ${order.organisation_name} is refused.`);
  };
  return (
    <EntryDialog
      title={`${approves ? 'Approve' : 'Refuse'} the order of ${order.organisation_name}`}
      act={approves ? 'Approve' : 'Refuse'}
      schema={z.object({ reason: approves ? z.string() : given('It reads why') })}
      initial={{ reason: '' }}
      save={save}
      onClose={onClose}
    >
      <Remark>
        {[order.what, addsWords(order)].filter(Boolean).join(', ')}
        {order.reason && `: ${order.reason}`}
      </Remark>
      {approves && order.changed.length > 0 && (
        <Alert severity="warning" variant="outlined" sx={{ gridColumn: '1 / -1' }}>
          {changedWords(order)}
        </Alert>
      )}
      <TextInput
        name="reason"
        label={approves ? 'What you say to it' : 'Reason'}
        hint={`${order.organisation_name} reads it`}
        optional={approves}
        lines={2}
      />
    </EntryDialog>
  );
}
