/** Makes a feed, lets somebody send to it, and takes a delivery back. */
import { useQueryClient } from '@tanstack/react-query';
import * as z from 'zod/mini';
import { api, body } from '../shared/api';
import { formatCount } from '../shared/decimal';
import { EntryDialog, Remark, TextInput, given, slug } from '../shared/form';
import { Names } from '../shared/Names';
import { useToast } from '../shared/Toasts';
import { type Delivery, type Feed } from './metering';

export function FeedDialog({ organisation, onClose }: { organisation: string; onClose: () => void }) {
  const queries = useQueryClient();
  return (
    <EntryDialog
      title="A new feed"
      act="Make the feed"
      schema={z.object({ name: given('The name that people read'), slug })}
      initial={{ name: '', slug: '' }}
      save={async (values) => {
        body(
          await api.POST('/api/v1/organisations/{organisation}/feeds', {
            params: { path: { organisation } },
            body: values,
          }),
        );
        await queries.invalidateQueries({ queryKey: ['feeds'] });
      }}
      onClose={onClose}
    >
      <Names
        hint={`Senders name the feed as ${organisation}/its slug`}
        nameHint="A cloud, a site or whatever sends readings of its own"
      />
    </EntryDialog>
  );
}

export function SenderDialog({ feed, onClose }: { feed: Feed; onClose: () => void }) {
  const queries = useQueryClient();
  return (
    <EntryDialog
      title={`Who may send to ${feed.name}`}
      act="Let them send"
      schema={z.object({ email: given('The e-mail address of a member') })}
      initial={{ email: '' }}
      save={async ({ email }) => {
        body(await api.PUT('/api/v1/feeds/senders', { body: { feed: feed.path, email } }));
        await queries.invalidateQueries({ queryKey: ['feeds'] });
      }}
      onClose={onClose}
    >
      <TextInput
        name="email"
        label="E-mail address"
        hint="A member with the role sender sends readings and sees nothing; its token is made on its account page"
      />
    </EntryDialog>
  );
}

export function TakeBackDialog(props: { feed: Feed; delivery: Delivery; onClose: () => void }) {
  const { feed, delivery, onClose } = props;
  const queries = useQueryClient();
  const say = useToast();
  return (
    <EntryDialog
      title={`Take ${delivery.file ?? 'this delivery'} back`}
      act="Take it back"
      schema={z.object({})}
      initial={{}}
      save={async () => {
        await api.POST('/api/v1/deliveries/{delivery}/take-back', {
          params: { path: { delivery: delivery.id } },
        });
        await queries.invalidateQueries({ queryKey: ['deliveries', feed.path] });
        say('It is taken back. Usage is made again without it.');
      }}
      onClose={onClose}
    >
      <Remark>
        Its {formatCount(delivery.accepted)} readings do not count any more, as if they had not come; what
        replaced some of them since stays. It can be sent again, corrected.
      </Remark>
    </EntryDialog>
  );
}
