/** Drafts and issued documents. */
import { Box, Button, TextField } from '@mui/material';
import { useInfiniteQuery, useMutation } from '@tanstack/react-query';
import { useDeferredValue, useRef, useState } from 'react';
import { useNavigate } from 'react-router';
import { useSignedIn } from '../access/session';
import { useLooked } from '../organisations/organisations';
import { byText } from '../shared/DataTable';
import { periodName } from '../shared/dates';
import { compare, formatCount, formatMoney, formatPercent, percent, subtract } from '../shared/decimal';
import { FilterChoice } from '../shared/FilterChoice';
import { useFilters } from '../shared/filters';
import { Grid, type GridColumn } from '../shared/Grid';
import { Page } from '../shared/Page';
import { RowLink } from '../shared/RowLink';
import { Empty, Failed, Loading } from '../shared/States';
import { IssueDialog, type Sums, counted } from './IssueDialog';
import { type Invoice, documentName, invoicesOptions } from './invoices';

const place = (each: Invoice) => `/invoices/${each.id}`;

export default function InvoicesPage() {
  const { home, may } = useSignedIn();
  const looked = useLooked();
  const [params, set] = useFilters();
  const navigate = useNavigate();
  const state = params.get('state') ?? '';
  const period = params.get('period') ?? '';
  const search = useDeferredValue((params.get('search') ?? '').trim());
  const [issuing, setIssuing] = useState<Invoice[] | null>(null);
  const asks = useRef<HTMLButtonElement>(null);
  const filter = {
    organisation: looked.slug,
    search,
    ...(state ? { state } : {}),
    ...(period ? { period } : {}),
  };
  const invoices = useInfiniteQuery(invoicesOptions(filter));
  const drafts = useInfiniteQuery({
    ...invoicesOptions({ seller: home.organisation, state: 'draft', ...(period ? { period } : {}) }),
    enabled: may('bill') && looked.own,
  });
  // What is issued is what was there when one was asked, to the last of it; where that cannot be read, nothing is.
  const ask = useMutation({
    mutationFn: async () => {
      let found = await drafts.refetch({ throwOnError: true });
      while (found.data?.pages.at(-1)?.next) found = await drafts.fetchNextPage({ throwOnError: true });
      return found.data?.pages.flatMap((page) => page.items) ?? [];
    },
    onSuccess: setIssuing,
  });
  const waiting = drafts.data?.pages[0]?.sums ?? [];
  const count = counted(waiting);
  const shown = invoices.data?.pages.flatMap((page) => page.items) ?? [];
  const sums = invoices.data?.pages[0]?.sums ?? [];
  return (
    <Page
      title={state === 'draft' ? 'Drafts to review' : 'Invoices'}
      lead={period ? periodName(period) : 'Newest month first.'}
      filters={
        <>
          <TextField
            label="Search"
            type="search"
            value={params.get('search') ?? ''}
            onChange={(event) => set('search', event.target.value)}
          />
          <FilterChoice
            label="State"
            none="all"
            value={state}
            onChange={(value) => set('state', value)}
            options={[
              ['draft', 'drafts'],
              ['issued', 'issued'],
            ]}
          />
        </>
      }
      action={
        count > 0 && (
          <Button
            ref={asks}
            variant="contained"
            size="medium"
            loading={ask.isPending}
            onClick={() => ask.mutate()}
          >
            Issue {formatCount(count)} {count === 1 ? 'draft' : 'drafts'}
          </Button>
        )
      }
    >
      {ask.isError && <Failed error={ask.error} retry={() => ask.mutate()} />}
      {invoices.isError && <Failed error={invoices.error} retry={() => void invoices.refetch()} />}
      {invoices.isPending && <Loading />}
      {invoices.isSuccess &&
        (shown.length ? (
          <Grid
            key={state}
            name={state === 'draft' ? 'drafts' : 'invoices'}
            label="Invoices"
            rows={shown}
            rowKey={(each) => each.id}
            onOpen={(each) => void navigate(place(each))}
            columns={state === 'draft' ? REVIEWED : ISSUED}
            {...(state === 'draft' ? { first: 'moved' } : {})}
            count={counted(sums)}
            sums={<Totals sums={sums} />}
            more={
              invoices.hasNextPage
                ? { loading: invoices.isFetchingNextPage, load: () => void invoices.fetchNextPage() }
                : undefined
            }
          />
        ) : (
          <Empty title="None here">
            {search
              ? 'No document has that in its number or its parties’ names.'
              : state === 'draft'
                ? 'Bill runs make drafts when a month is over.'
                : 'Invoices appear when a month is closed.'}
          </Empty>
        ))}
      {issuing && (
        <IssueDialog
          seller={home.organisation}
          drafts={issuing}
          onClose={() => {
            setIssuing(null);
            // While it waited it could not hold the focus, so nothing knows to give it back.
            setTimeout(() => asks.current?.focus());
          }}
        />
      )}
    </Page>
  );
}

function Totals({ sums }: { sums: readonly Sums[] }) {
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 3, fontVariantNumeric: 'tabular-nums' }}>
      {sums.map((each) => (
        <Box key={each.currency}>
          {formatMoney(each.net, each.currency)} net,{' '}
          <strong>
            {formatMoney(each.gross, each.currency)} {each.currency}
          </strong>
        </Box>
      ))}
    </Box>
  );
}

const money = (key: 'net' | 'gross', title: string): GridColumn<Invoice> => ({
  key,
  title,
  number: true,
  width: 115,
  cell: (each) => formatMoney(each[key], each.currency),
  text: (each) => each[key],
  order: (left, right) => compare(left[key], right[key]),
});

const MONTH: GridColumn<Invoice> = {
  key: 'period',
  title: 'Month',
  width: 130,
  cell: (each) => periodName(each.period),
  text: (each) => each.period,
  order: byText((each: Invoice) => each.period),
};
const CUSTOMER: GridColumn<Invoice> = {
  key: 'buyer',
  title: 'Customer',
  flex: 1.4,
  cell: (each) => each.parties.buyer.name,
  text: (each) => each.parties.buyer.name,
  order: byText((each: Invoice) => each.parties.buyer.name),
};
const CURRENCY: GridColumn<Invoice> = {
  key: 'currency',
  title: 'Currency',
  width: 80,
  cell: (each) => each.currency,
  text: (each) => each.currency,
};

const ISSUED: GridColumn<Invoice>[] = [
  {
    key: 'number',
    title: 'Number',
    width: 185,
    cell: (each) => <RowLink to={place(each)}>{documentName(each)}</RowLink>,
    text: documentName,
    order: byText((each: Invoice) => each.number),
  },
  MONTH,
  {
    key: 'seller',
    title: 'Seller',
    flex: 1,
    cell: (each) => each.parties.seller.name,
    text: (each) => each.parties.seller.name,
    order: byText((each: Invoice) => each.parties.seller.name),
  },
  CUSTOMER,
  money('net', 'Net'),
  money('gross', 'Total'),
  CURRENCY,
  {
    key: 'due',
    title: 'Due',
    width: 105,
    cell: (each) => each.due_date ?? '',
    text: (each) => each.due_date ?? '',
  },
];

const moved = (each: Invoice): string | null =>
  each.before === null ? null : subtract(each.net, each.before);

/** What deserves a look before it is issued. */
const REVIEWED: GridColumn<Invoice>[] = [
  {
    ...CUSTOMER,
    cell: (each) => <RowLink to={place(each)}>{each.parties.buyer.name}</RowLink>,
  },
  MONTH,
  money('net', 'Net'),
  {
    key: 'moved',
    title: 'Against month before',
    number: true,
    width: 180,
    cell: (each) => <Moved invoice={each} />,
    text: (each) => moved(each) ?? 'first invoice',
    order: (left, right) => compare(size(moved(left)), size(moved(right))),
  },
  {
    key: 'late',
    title: 'Of earlier months',
    number: true,
    width: 130,
    cell: (each) =>
      compare(each.late, '0') ? (
        <Box component="span" sx={{ color: 'warning.main', fontWeight: 560 }}>
          {formatMoney(each.late, each.currency)}
        </Box>
      ) : (
        '—'
      ),
    text: (each) => each.late,
    order: (left, right) => compare(size(left.late), size(right.late)),
  },
  {
    key: 'lines',
    title: 'Lines',
    number: true,
    width: 65,
    cell: (each) => formatCount(each.line_count),
    text: (each) => String(each.line_count),
    order: (left, right) => left.line_count - right.line_count,
  },
  money('gross', 'Total'),
  CURRENCY,
];

const size = (amount: string | null): string => (amount ?? '0').replace('-', '');
/** Percent of change from which on an amount is marked. */
const MUCH = '20';

function Moved({ invoice }: { invoice: Invoice }) {
  const change = moved(invoice);
  if (change === null || invoice.before === null) return <>first invoice</>;
  const share = percent(change, invoice.before);
  const much = share !== null && compare(size(share), MUCH) > 0;
  const sign = compare(change, '0') > 0 ? '+' : '';
  return (
    <Box component="span" sx={much ? { color: 'warning.main', fontWeight: 560 } : undefined}>
      {much && <span aria-label="much">▲ </span>}
      {sign}
      {formatMoney(change, invoice.currency)}
      {share !== null && ` (${sign}${formatPercent(share)})`}
    </Box>
  );
}
