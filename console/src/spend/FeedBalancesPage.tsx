/** Of all that came in by each feed in a month, what became of it; finance signs each feed's month off. */
import { Alert, Box, Button, Link } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink } from 'react-router';
import * as z from 'zod/mini';
import { usePeriod } from '../access/figures';
import { useSignedIn } from '../access/session';
import { Comparison } from '../metering/Comparison';
import { api, body } from '../shared/api';
import { type Column, DataTable } from '../shared/DataTable';
import { periodName } from '../shared/dates';
import { formatCount, formatMoney } from '../shared/decimal';
import { EntryDialog, given, Remark, TextInput } from '../shared/form';
import { Page, Section } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { counted, quantityIn } from '../shared/units';
import { NotPriced } from './NotPriced';
import {
  cameIn,
  columnsOf,
  type FeedBalance,
  feedBalancesOptions,
  type FeedCost,
  type FeedMeter,
  isNothing,
  LOOKED_AT,
  type Quantity,
  stateWords,
  WORDS,
} from './feedBalances';

export default function FeedBalancesPage() {
  const { home, mayAt } = useSignedIn();
  const [period] = usePeriod();
  const balances = useQuery(feedBalancesOptions(home.organisation, period));
  const [doing, setDoing] = useState<{ item: FeedBalance; act: 'sign' | 'withdraw' } | null>(null);
  const bills = mayAt('bill', home.organisation);
  return (
    <Page
      title={`What became of what came in, ${periodName(period)}`}
      lead="All that a feed measured is charged, covered by allowances, or stands here with what it lacks."
      current={balances.data}
    >
      <Query query={balances}>
        {(found) => {
          const told = found.items.filter(cameIn);
          const quiet = found.items.filter((each) => !cameIn(each));
          return (
            <>
              <NotPriced organisation={home.organisation} period={period} />
              {told.map((item) => (
                <Section
                  key={item.feed}
                  title={item.feed_name}
                  aside={
                    bills &&
                    found.over && (
                      <Acts item={item} waiting={found.waiting} onAct={(act) => setDoing({ item, act })} />
                    )
                  }
                >
                  <Feed item={item} over={found.over} period={period} />
                </Section>
              ))}
              {quiet.length > 0 && told.length > 0 && (
                <Remark>Nothing came in by {quiet.map((each) => each.feed_name).join(', ')}.</Remark>
              )}
              {!told.length && (
                <Empty title={`Nothing came in for ${periodName(period)}`}>
                  {found.items.length
                    ? 'Choose another month, or look at what the feeds delivered.'
                    : 'A feed is the way in for what a cloud or a site measures: make one under Feeds.'}
                </Empty>
              )}
            </>
          );
        }}
      </Query>
      {doing?.act === 'sign' && (
        <SignOffDialog item={doing.item} period={period} onClose={() => setDoing(null)} />
      )}
      {doing?.act === 'withdraw' && (
        <WithdrawDialog item={doing.item} period={period} onClose={() => setDoing(null)} />
      )}
    </Page>
  );
}

function Acts(props: { item: FeedBalance; waiting: boolean; onAct: (act: 'sign' | 'withdraw') => void }) {
  const { item, waiting, onAct } = props;
  const signed = item.sign_off;
  const act = signed ? 'Sign off as it is now' : 'Sign off';
  return (
    <Box sx={{ display: 'flex', gap: 1 }}>
      {signed && (
        <Button aria-label={`Withdraw the sign-off of ${item.feed_name}`} onClick={() => onAct('withdraw')}>
          Withdraw
        </Button>
      )}
      {(!signed || signed.changed) && (
        <Button
          variant="outlined"
          disabled={waiting}
          aria-label={`${act}: ${item.feed_name}`}
          onClick={() => onAct('sign')}
        >
          {act}
        </Button>
      )}
    </Box>
  );
}

function Feed({ item, over, period }: { item: FeedBalance; over: boolean; period: string }) {
  return (
    <>
      <Remark>{stateWords(item, over)}</Remark>
      {item.sign_off?.changed && (
        <Alert severity="warning" variant="outlined" sx={{ mb: 1 }}>
          It has become another since it was signed off.
        </Alert>
      )}
      {item.meters.length > 0 && <Meters item={item} />}
      {item.meters.some((each) => !isNothing(each.gave_way)) && (
        <Comparison feed={item.feed} period={period} />
      )}
      {item.costs.length > 0 && <Costs item={item} />}
      {item.refused > 0 && (
        <Remark>
          {formatCount(item.refused)} items of what came in this month were refused.{' '}
          <Link component={RouterLink} to={`/feeds?feed=${item.feed}`}>
            See why
          </Link>
        </Remark>
      )}
      {item.open.includes('measured twice') && (
        <Remark>
          <Link component={RouterLink} to={`/feeds?feed=${item.feed}`}>
            Let one of the feeds that measure the same give way
          </Link>
        </Remark>
      )}
      {item.unknown > 0 && (
        <Remark>
          {counted(item.unknown, 'reading')} of unknown kind.{' '}
          <Link component={RouterLink} to="/kinds">
            Say what that is
          </Link>
        </Remark>
      )}
      {item.open.includes("nobody's") && (
        <Remark>
          <Link component={RouterLink} to="/owners">
            Give what is nobody’s an owner
          </Link>
        </Remark>
      )}
    </>
  );
}

function Meters({ item }: { item: FeedBalance }) {
  return (
    <DataTable
      name={`balance ${item.feed}`}
      label={`What became of ${item.feed_name}`}
      rows={item.meters}
      rowKey={(row) => row.meter}
      columns={[
        { key: 'meter', title: 'Meter', cell: (row) => row.meter_name },
        { key: 'readings', title: 'Readings', number: true, cell: readings },
        ...columnsOf(item.meters).map(quantityColumn),
      ]}
    />
  );
}

/** How many stand; beside them those that were replaced or taken back, which are no part of the sum. */
function readings(row: FeedMeter) {
  const apart = [
    row.divided && `${formatCount(row.divided)} of them divided`,
    row.replaced && `${formatCount(row.replaced)} replaced`,
    row.taken_back && `${formatCount(row.taken_back)} taken back`,
    row.inferred && `${formatCount(row.inferred)} ended as later lists miss them`,
  ].filter(Boolean);
  if (!row.readings && !apart.length) return '';
  return (
    <>
      {formatCount(row.readings)}
      {apart.length > 0 && (
        <Box component="span" sx={{ display: 'block', color: 'text.secondary', fontSize: '0.8em' }}>
          {row.divided ? '' : 'and '}
          {apart.join(', ')}
        </Box>
      )}
    </>
  );
}

const quantityColumn = (name: Quantity): Column<FeedMeter> => ({
  key: name,
  title: WORDS[name],
  number: true,
  cell: (row) => {
    const value = row[name];
    if (value === null) return name === 'measured' ? 'sampled' : '';
    if (isNothing(value)) return '';
    // Of a meter that is measured, but has no difference, charges are no sum of what came in.
    const otherwise = name === 'charged' && row.measured !== null && row.difference === null;
    return (
      <Box component="span" sx={LOOKED_AT.includes(name) ? { color: 'warning.main', fontWeight: 620 } : {}}>
        {quantityIn(value, row.unit)}
        {otherwise && (
          <Box component="span" sx={{ display: 'block', color: 'text.secondary', fontSize: '0.8em' }}>
            counted by the rate’s own measure
          </Box>
        )}
      </Box>
    );
  },
});

function Costs({ item }: { item: FeedBalance }) {
  const amount = (
    key: 'billed' | 'estimated' | 'tax' | 'owned' | 'nobodys' | 'divided' | 'no_exchange_rate' | 'difference',
    title: string,
  ): Column<FeedCost> => ({
    key,
    title,
    number: true,
    cell: (row) => (isNothing(row[key]) ? '' : formatMoney(row[key], row.currency)),
  });
  const some = (key: 'estimated' | 'divided' | 'no_exchange_rate' | 'difference', title: string) =>
    item.costs.some((each) => !isNothing(each[key])) ? [amount(key, title)] : [];
  return (
    <Box sx={{ mt: 2 }}>
      <DataTable
        name={`costs ${item.feed}`}
        label={`Billed costs of ${item.feed_name}`}
        rows={item.costs}
        rowKey={(row) => row.currency}
        columns={[
          { key: 'currency', title: 'Billed costs in', cell: (row) => row.currency },
          {
            key: 'rows',
            title: 'Rows',
            number: true,
            cell: (row) =>
              `${formatCount(row.rows)}${row.replaced ? ` and ${formatCount(row.replaced)} replaced` : ''}`,
          },
          amount('billed', 'Came in'),
          ...some('estimated', 'Estimated, of this'),
          amount('tax', 'Supplier’s tax, left out'),
          amount('owned', 'Somebody’s'),
          amount('nobodys', 'Nobody’s'),
          ...some('divided', 'Divided, of these'),
          ...some('no_exchange_rate', 'No exchange rate, of these'),
          ...some('difference', 'Not accounted for'),
        ]}
      />
    </Box>
  );
}

interface DialogProps {
  item: FeedBalance;
  period: string;
  onClose: () => void;
}

function SignOffDialog({ item, period, onClose }: DialogProps) {
  const queries = useQueryClient();
  const open = item.open.length > 0;
  return (
    <EntryDialog
      title={`Sign ${item.feed_name} off for ${periodName(period)}`}
      act="Sign off"
      schema={z.object({ reason: open ? given('Say why it is signed off with open sums') : z.string() })}
      initial={{ reason: item.sign_off?.reason ?? '' }}
      save={async ({ reason }) => {
        body(
          await api.PUT('/api/v1/feeds/sign-off', {
            params: { query: { feed: item.feed, period } },
            body: { reason: open ? reason : null },
          }),
        );
        await queries.invalidateQueries({ queryKey: ['feed balances'] });
      }}
      onClose={onClose}
    >
      <Remark>
        The figures are kept as they are now, in your name. What comes in later is told as a change of them.
      </Remark>
      {open && <TextInput name="reason" label="Why" hint={`Open sums: ${item.open.join(', ')}`} lines={2} />}
    </EntryDialog>
  );
}

function WithdrawDialog({ item, period, onClose }: DialogProps) {
  const queries = useQueryClient();
  return (
    <EntryDialog
      title={`Withdraw the sign-off of ${item.feed_name}`}
      act="Withdraw it"
      schema={z.object({})}
      initial={{}}
      save={async () => {
        body(await api.DELETE('/api/v1/feeds/sign-off', { params: { query: { feed: item.feed, period } } }));
        await queries.invalidateQueries({ queryKey: ['feed balances'] });
      }}
      onClose={onClose}
    >
      <Remark>{periodName(period)} is not signed off then; the record keeps that it was.</Remark>
    </EntryDialog>
  );
}
