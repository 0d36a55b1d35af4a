/** Drafts and issued documents. */
import {
  Alert,
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  LinearProgress,
  MenuItem,
  TextField,
} from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { useSignedIn } from '../access/session';
import { api, body } from '../shared/api';
import { DataTable, byText } from '../shared/DataTable';
import { periodName } from '../shared/dates';
import { compare, formatCount, formatMoney, sum } from '../shared/decimal';
import { useFilters } from '../shared/filters';
import { Page } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { followTask } from '../tasks/tasks';
import { type Invoice, documentName, invoicesOptions } from './invoices';

/** Drafts before what is issued, then by month and number. */
const newestFirst = (left: Invoice, right: Invoice): number =>
  Number(left.number !== null) - Number(right.number !== null) ||
  right.period.localeCompare(left.period) ||
  (left.number ?? left.buyer).localeCompare(right.number ?? right.buyer);

export default function InvoicesPage() {
  const { home, may } = useSignedIn();
  const [params, set] = useFilters();
  const navigate = useNavigate();
  const state = params.get('state') ?? '';
  const period = params.get('period') ?? '';
  const search = (params.get('search') ?? '').toLowerCase();
  const invoices = useQuery(invoicesOptions({ ...(state ? { state } : {}), ...(period ? { period } : {}) }));
  const [issuing, setIssuing] = useState<Invoice[] | null>(null);
  const matches = (each: Invoice) =>
    `${each.number ?? ''} ${each.seller} ${each.buyer} ${each.parties.buyer.name}`
      .toLowerCase()
      .includes(search);
  const shown = invoices.data?.filter(matches).sort(newestFirst) ?? [];
  const drafts = shown.filter((each) => each.state === 'draft' && each.seller === home.organisation);
  const currencies = [...new Set(shown.map((each) => each.currency))];
  const single = currencies.length === 1;
  const total = (key: 'net' | 'gross') =>
    single && currencies[0] ? formatMoney(sum(shown.map((each) => each[key])), currencies[0]) : undefined;
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
          <TextField
            select
            label="State"
            slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
            value={state}
            sx={{ minWidth: 110 }}
            onChange={(event) => set('state', event.target.value)}
          >
            <MenuItem value="">all</MenuItem>
            <MenuItem value="draft">drafts</MenuItem>
            <MenuItem value="issued">issued</MenuItem>
          </TextField>
        </>
      }
      action={
        may('bill') &&
        drafts.length > 0 && (
          <Button variant="contained" size="medium" onClick={() => setIssuing(drafts)}>
            Issue {formatCount(drafts.length)} {drafts.length === 1 ? 'draft' : 'drafts'}
          </Button>
        )
      }
    >
      <Query query={invoices}>
        {() =>
          shown.length ? (
            <DataTable
              name="invoices"
              label="Invoices"
              rows={shown}
              rowKey={(each) => each.id}
              onOpen={(each) => void navigate(`/invoices/${each.id}`)}
              height="70vh"
              columns={[
                {
                  key: 'number',
                  title: 'Number',
                  cell: (each) => documentName(each),
                  order: byText((each: Invoice) => each.number),
                  total: single ? 'Total' : undefined,
                },
                {
                  key: 'period',
                  title: 'Month',
                  cell: (each) => periodName(each.period),
                  order: byText((each: Invoice) => each.period),
                },
                {
                  key: 'seller',
                  title: 'Seller',
                  cell: (each) => each.parties.seller.name,
                  order: byText((each: Invoice) => each.seller),
                },
                {
                  key: 'buyer',
                  title: 'Buyer',
                  cell: (each) => each.parties.buyer.name,
                  order: byText((each: Invoice) => each.buyer),
                },
                {
                  key: 'net',
                  title: 'Net',
                  number: true,
                  cell: (each) => formatMoney(each.net, each.currency),
                  order: (a, b) => compare(a.net, b.net),
                  total: total('net'),
                },
                {
                  key: 'gross',
                  title: 'Total',
                  number: true,
                  cell: (each) => formatMoney(each.gross, each.currency),
                  order: (a, b) => compare(a.gross, b.gross),
                  total: total('gross'),
                },
                { key: 'currency', title: '', cell: (each) => each.currency },
                { key: 'due', title: 'Due', cell: (each) => each.due_date ?? '' },
              ]}
            />
          ) : (
            <Empty title="None here">
              {state === 'draft'
                ? 'Bill runs make drafts when a month is over.'
                : 'Invoices appear when a month is closed.'}
            </Empty>
          )
        }
      </Query>
      {issuing && <IssueDialog drafts={issuing} onClose={() => setIssuing(null)} />}
    </Page>
  );
}

/** Names the consequence, then has them issued by a task, which goes on when this is left. */
export function IssueDialog({ drafts, onClose }: { drafts: Invoice[]; onClose: () => void }) {
  const queries = useQueryClient();
  const { home } = useSignedIn();
  const [done, setDone] = useState(0);
  const issue = useMutation({
    mutationFn: async () => {
      const task = body(
        await api.POST('/api/v1/organisations/{organisation}/invoices/issue', {
          params: { path: { organisation: drafts[0]?.seller ?? home.organisation } },
          body: { invoices: drafts.map((draft) => draft.id) },
        }),
      );
      await followTask(task.id, (now) => setDone(now.made));
    },
    onSettled: async () => {
      for (const key of ['invoices', 'invoice', 'bill runs'])
        await queries.invalidateQueries({ queryKey: [key] });
    },
    onSuccess: onClose,
  });
  const currencies = [...new Set(drafts.map((draft) => draft.currency))];
  const amounts = currencies
    .map((currency) => {
      const gross = sum(drafts.filter((draft) => draft.currency === currency).map((draft) => draft.gross));
      return `${currency} ${formatMoney(gross, currency)}`;
    })
    .join(' and ');
  const buyers = new Set(drafts.map((draft) => draft.buyer)).size;
  return (
    <Dialog open onClose={issue.isPending ? undefined : onClose} aria-labelledby="issue-title">
      <DialogTitle id="issue-title">
        Issue {formatCount(drafts.length)} {drafts.length === 1 ? 'invoice' : 'invoices'}?
      </DialogTitle>
      <DialogContent>
        <Box>
          To {formatCount(buyers)} {buyers === 1 ? 'customer' : 'customers'}, total {amounts}. Cannot be
          undone; what turns out wrong goes on the next document.
        </Box>
        {issue.isPending && (
          <Box sx={{ mt: 2 }}>
            <LinearProgress variant="determinate" value={(100 * done) / drafts.length} aria-label="Issuing" />
            {formatCount(done)} of {formatCount(drafts.length)}; it goes on when you leave
          </Box>
        )}
        {issue.isError && (
          <Alert severity="error" variant="outlined" sx={{ mt: 2 }}>
            {issue.error.message}
          </Alert>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose} disabled={issue.isPending}>
          Not now
        </Button>
        <Button variant="contained" loading={issue.isPending} onClick={() => issue.mutate()}>
          Issue {amounts}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
