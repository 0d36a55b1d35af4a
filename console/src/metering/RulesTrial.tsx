/** What customers' months would come to by changed rules: asked for by hand, as it takes a while. */
import { Alert, Box, Button, LinearProgress } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import { useSignedIn } from '../access/session';
import { api, body } from '../shared/api';
import { DataTable } from '../shared/DataTable';
import { periodName } from '../shared/dates';
import { compare, formatCount, formatMoney } from '../shared/decimal';
import { Remark } from '../shared/form';
import { counted } from '../shared/units';
import { previewOptions, type Preview, type Rule } from './ownership';
import { gapWords, isTried, trialOptions, type LinkDifference, type Trial } from './ownershipTrials';

export function RulesTrial(props: { organisation: string; rules: Rule[]; preview: Preview | undefined }) {
  const { organisation, rules, preview } = props;
  const { may } = useSignedIn();
  const ask = useMutation({
    mutationFn: async () =>
      body(
        await api.POST('/api/v1/organisations/{organisation}/ownership-trials', {
          params: { path: { organisation } },
          body: { rules },
        }),
      ),
  });
  const moves = !!preview && (preview.moves.length > 0 || preview.more);
  if (!may('read money') || (!moves && !ask.data)) return null;
  return (
    <Box sx={{ gridColumn: '1 / -1' }}>
      {!ask.data && (
        <Button variant="outlined" loading={ask.isPending} onClick={() => ask.mutate()}>
          What would each customer’s months come to?
        </Button>
      )}
      {ask.isError && (
        <Alert severity="error" variant="outlined" sx={{ mt: 1 }}>
          {ask.error.message}
        </Alert>
      )}
      {ask.data && <Tried id={ask.data.id} organisation={organisation} rules={rules} />}
    </Box>
  );
}

/** One trial: how far it is, then what came of it. */
function Tried({ id, organisation, rules }: { id: string; organisation: string; rules: Rule[] }) {
  const trial = useQuery(trialOptions(id));
  const queries = useQueryClient();
  const preview = trial.data?.preview;
  const wanted = JSON.stringify(rules);
  useEffect(() => {
    // It looked at all of it: what is shown of that, and set by it, is no less.
    const { queryKey } = previewOptions(organisation, JSON.parse(wanted) as Rule[]);
    if (preview) queries.setQueryData(queryKey, preview);
  }, [preview, queries, organisation, wanted]);
  if (trial.isError)
    return (
      <Alert severity="error" variant="outlined">
        {trial.error.message}
      </Alert>
    );
  if (!trial.data || !isTried(trial.data)) {
    const { made = 0, total = null } = trial.data ?? {};
    return (
      <Box role="status">
        <Box sx={{ mb: 1, fontSize: '0.9rem' }}>
          {total && made < total
            ? `${formatCount(made)} of ${counted(total, 'day')} looked at.`
            : total
              ? 'The months are being priced.'
              : 'It begins.'}
        </Box>
        <LinearProgress
          aria-label="How far it is"
          variant={total && made < total ? 'determinate' : 'indeterminate'}
          value={total ? (100 * made) / total : 0}
        />
      </Box>
    );
  }
  return <Outcome trial={trial.data} />;
}

const signed = (amount: string, currency: string): string =>
  `${compare(amount, '0') > 0 ? '+' : ''}${formatMoney(amount, currency)}`;

/** What came of it. */
export function Outcome({ trial }: { trial: Trial }) {
  if (!trial.preview)
    return (
      <Alert severity="error" variant="outlined">
        {trial.problem ?? `It is ${trial.state}.`}
      </Alert>
    );
  if (trial.too_much) return <Remark>So much would move that what months would come to is not told.</Remark>;
  const gaps = gapWords(trial.not_priced);
  return (
    <>
      {trial.links.length > 0 ? (
        <DataTable
          name="links"
          label="What each customer’s months would come to"
          rows={trial.links}
          rowKey={(row) => `${row.period} ${row.buyer} ${row.currency}`}
          columns={[
            { key: 'period', title: 'Month', cell: (row) => periodName(row.period) },
            { key: 'buyer', title: 'Customer', cell: (row) => row.buyer_name },
            money('before', 'Comes to'),
            money('after', 'Would come to'),
            {
              key: 'difference',
              title: 'Difference',
              number: true,
              cell: (row) => `${signed(row.difference, row.currency)} ${row.currency}`,
              order: (left, right) => compare(left.difference, right.difference),
            },
            {
              key: 'billed',
              title: 'Billed',
              number: true,
              cell: (row) => (row.billed === null ? 'not yet' : formatMoney(row.billed, row.currency)),
            },
          ]}
        />
      ) : (
        !gaps.length && <Remark>No customer’s month would come to anything else.</Remark>
      )}
      {trial.more_links > 0 && <Remark>And {formatCount(trial.more_links)} more that differ less.</Remark>}
      {trial.links.some((row) => row.billed !== null) && (
        <Remark>What differs of a month that is billed is settled on the customer’s next document.</Remark>
      )}
      {gaps.length > 0 && (
        <Alert severity="warning" variant="outlined" sx={{ mt: 1 }}>
          {gaps.map((sentence) => (
            <Box key={sentence}>{sentence}</Box>
          ))}
        </Alert>
      )}
    </>
  );
}

const money = (key: 'before' | 'after', title: string) => ({
  key,
  title,
  number: true,
  cell: (row: LinkDifference) => formatMoney(row[key], row.currency),
  order: (left: LinkDifference, right: LinkDifference) => compare(left[key], right[key]),
});
