/** Issues drafts: names the consequence, then has a task do it. */
import {
  Alert,
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  LinearProgress,
} from '@mui/material';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { type Schemas, api, body } from '../shared/api';
import { formatCount, formatMoney, sum } from '../shared/decimal';
import { followTask } from '../tasks/tasks';
import type { Invoice } from './invoices';

export type Sums = Schemas['InvoiceSumsBody'];

/** How many documents some sums are of. */
export const counted = (sums: readonly Sums[]): number => sums.reduce((all, each) => all + each.count, 0);

/** Names the consequence, then has them issued by a task, which goes on when this is left. */
export function IssueDialog({
  seller,
  drafts,
  onClose,
}: {
  seller: string;
  drafts: readonly Invoice[];
  onClose: () => void;
}) {
  const queries = useQueryClient();
  const [done, setDone] = useState(0);
  const count = drafts.length;
  const buyers = new Set(drafts.map((draft) => draft.buyer)).size;
  const issue = useMutation({
    mutationFn: async () => {
      const task = body(
        await api.POST('/api/v1/organisations/{organisation}/invoices/issue', {
          params: { path: { organisation: seller } },
          body: { invoices: drafts.map((draft) => draft.id) },
        }),
      );
      await followTask(task.id, (now) => setDone(now.made));
    },
    onSettled: async () => {
      for (const key of ['invoices', 'invoice', 'bill runs', 'to dos'])
        await queries.invalidateQueries({ queryKey: [key] });
    },
    onSuccess: onClose,
  });
  const amounts = [...new Set(drafts.map((draft) => draft.currency))]
    .map((currency) => {
      const gross = sum(drafts.filter((draft) => draft.currency === currency).map((draft) => draft.gross));
      return `${currency} ${formatMoney(gross, currency)}`;
    })
    .join(' and ');
  return (
    <Dialog open onClose={issue.isPending ? undefined : onClose} aria-labelledby="issue-title">
      <DialogTitle id="issue-title">
        Issue {formatCount(count)} {count === 1 ? 'invoice' : 'invoices'}?
      </DialogTitle>
      <DialogContent>
        <Box>
          To {formatCount(buyers)} {buyers === 1 ? 'customer' : 'customers'}, total {amounts}. Cannot be
          undone; what turns out wrong goes on the next document.
        </Box>
        {issue.isPending && (
          <Box sx={{ mt: 2 }}>
            <LinearProgress variant="determinate" value={(100 * done) / count} aria-label="Issuing" />
            {formatCount(done)} of {formatCount(count)}; it goes on when you leave
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
