/** Bill runs: closing a month. */
import { Alert, Box, Button, LinearProgress, Link, TextField } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { usePeriod } from '../access/figures';
import { useSignedIn } from '../access/session';
import { Refusal, api, body } from '../shared/api';
import { DataTable } from '../shared/DataTable';
import { momentName, periodName } from '../shared/dates';
import { formatCount, formatMoney } from '../shared/decimal';
import { Page, Section } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { billRunsOptions, differencesOptions } from './invoices';

export default function BillRunsPage() {
  const { home, may } = useSignedIn();
  const [period] = usePeriod(1);
  const queries = useQueryClient();
  const runs = useQuery(billRunsOptions(home.organisation));
  const start = useMutation({
    mutationFn: async (reason: string) =>
      body(
        await api.POST('/api/v1/bill-runs', {
          body: { organisation: home.organisation, period, ...(reason ? { reason } : {}) },
        }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['bill runs'] });
      await queries.invalidateQueries({ queryKey: ['invoices'] });
    },
  });
  const busy = runs.data?.some((run) => run.state === 'waiting' || run.state === 'running') ?? false;
  return (
    <Page
      title="Closing a month"
      lead="A bill run makes a draft for each buyer of what is not billed yet, late usage of earlier months included. Running it again does no harm."
      action={
        may('bill') && (
          <Button
            variant="contained"
            size="medium"
            loading={start.isPending}
            disabled={busy}
            onClick={() => start.mutate('')}
          >
            Make drafts of {periodName(period)}
          </Button>
        )
      }
    >
      {start.isError &&
        (start.error instanceof Refusal && start.error.code === 'feeds_incomplete' ? (
          <AllTheSame said={start.error.message} onReason={(reason) => start.mutate(reason)} />
        ) : (
          <Alert severity="error" variant="outlined" sx={{ mb: 2 }}>
            {start.error.message}
          </Alert>
        ))}
      {busy && (
        <Box sx={{ mb: 2 }}>
          <LinearProgress aria-label="Making drafts" />
          <Box sx={{ fontSize: '0.84rem', color: 'text.secondary', mt: 0.5 }}>
            Making drafts; you can leave this page.
          </Box>
        </Box>
      )}
      <Query query={runs}>
        {(found) =>
          found.length ? (
            <DataTable
              name="runs"
              label="Bill runs"
              rows={found}
              rowKey={(run) => run.id}
              columns={[
                { key: 'period', title: 'Month', cell: (run) => periodName(run.period) },
                {
                  key: 'state',
                  title: 'State',
                  cell: (run) => (
                    <Link component={RouterLink} to={`/record/work?task=${run.id}`}>
                      {run.state === 'done' && run.drafts ? 'to review' : run.state}
                    </Link>
                  ),
                },
                {
                  key: 'drafts',
                  title: 'Drafts',
                  number: true,
                  cell: (run) =>
                    run.drafts ? (
                      <Link component={RouterLink} to={`/invoices?state=draft&period=${run.period}`}>
                        {formatCount(run.drafts)} to review
                      </Link>
                    ) : (
                      '0'
                    ),
                },
                { key: 'issued', title: 'Issued', number: true, cell: (run) => formatCount(run.issued) },
                {
                  key: 'started',
                  title: 'Started, UTC',
                  whole: true,
                  cell: (run) => momentName(run.started_at),
                },
                {
                  key: 'problem',
                  title: 'Result',
                  width: '36%',
                  cell: (run) =>
                    run.problem ? (
                      <Box component="span" sx={{ color: 'error.main' }}>
                        {run.problem}
                      </Box>
                    ) : (
                      [
                        run.state === 'done' && !run.drafts && !run.issued ? 'nothing to bill' : '',
                        run.reason ? `closed early: ${run.reason}` : '',
                      ]
                        .filter(Boolean)
                        .join('; ')
                    ),
                },
              ]}
            />
          ) : (
            <Empty title="No month is closed yet">Choose a month that is over, then make its drafts.</Empty>
          )
        }
      </Query>
      <Box sx={{ mt: 4 }}>
        <Differences organisation={home.organisation} />
      </Box>
    </Page>
  );
}

/** Not all is here by the feeds: closed all the same for a reason, which is kept with the run. */
function AllTheSame({ said, onReason }: { said: string; onReason: (reason: string) => void }) {
  const [reason, setReason] = useState('');
  return (
    <Alert severity="warning" variant="outlined" sx={{ mb: 2, '& .MuiAlert-message': { flex: 1 } }}>
      {said}
      <Box
        component="form"
        sx={{ display: 'flex', flexWrap: 'wrap', gap: 1.5, mt: 1.5 }}
        onSubmit={(event) => {
          event.preventDefault();
          onReason(reason);
        }}
      >
        <TextField
          label="Reason"
          value={reason}
          onChange={(event) => setReason(event.target.value)}
          slotProps={{ htmlInput: { maxLength: 500 } }}
          sx={{ flex: 1, minWidth: 240 }}
        />
        <Button type="submit" variant="outlined" disabled={!reason.trim()}>
          Close it all the same
        </Button>
      </Box>
    </Alert>
  );
}

/** Issued months against today's rules: asked for, as it rates them all. */
function Differences({ organisation }: { organisation: string }) {
  const [asked, setAsked] = useState(false);
  const differences = useQuery({ ...differencesOptions(organisation), enabled: asked });
  return (
    <Section title="Issued months by today’s rules">
      {asked ? (
        <Query query={differences} rows={2}>
          {(found) =>
            found.length ? (
              <DataTable
                name="differences"
                label="Issued months by today’s rules"
                rows={found}
                rowKey={(row) => `${row.period}/${row.buyer}/${row.currency}`}
                columns={[
                  { key: 'period', title: 'Month', cell: (row) => periodName(row.period) },
                  { key: 'buyer', title: 'Buyer', cell: (row) => row.buyer_name },
                  {
                    key: 'billed',
                    title: 'Billed',
                    number: true,
                    cell: (row) => formatMoney(row.billed, row.currency),
                  },
                  {
                    key: 'today',
                    title: 'By today’s rules',
                    number: true,
                    cell: (row) => formatMoney(row.today, row.currency),
                  },
                  {
                    key: 'difference',
                    title: 'Difference',
                    number: true,
                    cell: (row) => formatMoney(row.difference, row.currency),
                  },
                ]}
              />
            ) : (
              <Empty title="Nothing differs">
                Today’s rules come to what was issued, in every month whose usage is unchanged.
              </Empty>
            )
          }
        </Query>
      ) : (
        <Box sx={{ display: 'grid', gap: 1, justifyItems: 'start', maxWidth: 620 }}>
          <Box sx={{ fontSize: '0.88rem', color: 'text.secondary' }}>
            After an update, see whether issued months would be priced differently now. Nothing is billed by
            looking.
          </Box>
          <Button variant="outlined" onClick={() => setAsked(true)}>
            Compare
          </Button>
        </Box>
      )}
    </Section>
  );
}
