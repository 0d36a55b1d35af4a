/** One draft or document, each line unfolding into its explanation. */
import { Box, Button, Link } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Fragment, useState } from 'react';
import { Link as RouterLink, useNavigate, useParams, useSearchParams } from 'react-router';
import { useSignedIn } from '../access/session';
import { api, type Schemas } from '../shared/api';
import { type Column, DataTable, byText } from '../shared/DataTable';
import { periodName, servicePeriod } from '../shared/dates';
import { compare, formatMoney, formatQuantity } from '../shared/decimal';
import { Page, Section } from '../shared/Page';
import { Query } from '../shared/States';
import { Explanation } from './Explanation';
import { IssueDialog } from './InvoicesPage';
import { type Invoice, documentName, invoiceOptions } from './invoices';

type Line = Schemas['InvoiceLineBody'];

export default function InvoicePage() {
  const { id = '' } = useParams();
  const invoice = useQuery(invoiceOptions(id));
  return <Query query={invoice}>{(found) => <InvoiceView invoice={found} />}</Query>;
}

function InvoiceView({ invoice }: { invoice: Invoice }) {
  const { home, may } = useSignedIn();
  const [params, setParams] = useSearchParams();
  const [issuing, setIssuing] = useState(false);
  const navigate = useNavigate();
  const queries = useQueryClient();
  const discard = useMutation({
    mutationFn: () =>
      api.DELETE('/api/v1/invoices/{invoice_id}', { params: { path: { invoice_id: invoice.id } } }),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['invoices'] });
      await navigate('/invoices?state=draft');
    },
  });
  const draft = invoice.state === 'draft';
  const deciding = draft && may('bill') && invoice.seller === home.organisation;
  const open = params.get('line');
  const rows = invoice.lines.map((line, index) => ({ line, key: String(index + 1) }));
  const columns: Column<(typeof rows)[number]>[] = [
    {
      key: 'owner',
      title: 'For',
      cell: ({ line }) => (line.project ? `${line.organisation} / ${line.project}` : line.organisation),
      order: byText(({ line }: { line: Line }) => `${line.organisation}/${line.project ?? ''}`),
    },
    { key: 'subscription', title: 'Subscription', cell: ({ line }) => line.subscription },
    {
      key: 'what',
      title: 'What',
      cell: ({ line }) =>
        line.corrects ? `${line.description} (corrects ${line.corrects})` : line.description,
      order: byText(({ line }: { line: Line }) => line.description),
    },
    {
      key: 'period',
      title: 'Service period',
      cell: ({ line }) => {
        const own = servicePeriod(line.service_start, line.service_end);
        const middle = new Date(Date.parse(line.service_start) + 12 * 3600 * 1000).toISOString().slice(0, 7);
        return middle === invoice.period ? (
          own
        ) : (
          <Box component="span" sx={{ color: 'warning.main', fontWeight: 560 }}>
            {own}, earlier month
          </Box>
        );
      },
    },
    { key: 'quantity', title: 'Quantity', number: true, cell: ({ line }) => formatQuantity(line.quantity) },
    { key: 'unit', title: 'Unit', cell: ({ line }) => <Box sx={{ whiteSpace: 'nowrap' }}>{line.unit}</Box> },
    {
      key: 'amount',
      title: invoice.currency,
      number: true,
      cell: ({ line }) => formatMoney(line.amount, invoice.currency),
      order: (left, right) => compare(left.line.amount, right.line.amount),
      total: formatMoney(invoice.net, invoice.currency),
    },
  ];
  if (columns[0]) columns[0].total = 'Net';
  return (
    <Page
      title={`${documentName(invoice)}: ${invoice.parties.buyer.name}`}
      lead={
        <>
          {periodName(invoice.period)}, from {invoice.parties.seller.name}
          {invoice.invoice_date && `, dated ${invoice.invoice_date}, due ${invoice.due_date}`}.{' '}
          <Link component={RouterLink} to={draft ? '/invoices?state=draft' : '/invoices'}>
            All {draft ? 'drafts' : 'invoices'}
          </Link>
        </>
      }
      action={
        deciding ? (
          <Box sx={{ display: 'flex', gap: 1 }}>
            <Button size="medium" loading={discard.isPending} onClick={() => discard.mutate()}>
              Discard; the next run makes it again
            </Button>
            <Button variant="contained" size="medium" onClick={() => setIssuing(true)}>
              Issue
            </Button>
          </Box>
        ) : (
          !draft && (
            <Button
              variant="outlined"
              size="medium"
              component="a"
              href={`/api/v1/invoices/${invoice.id}/pdf`}
              target="_blank"
            >
              PDF
            </Button>
          )
        )
      }
    >
      <Section
        title="Lines"
        aside={
          <Box sx={{ color: 'text.secondary', fontSize: '0.8rem' }}>
            Open a line to see why it is what it is
          </Box>
        }
      >
        <DataTable
          name="lines"
          label="Lines"
          rows={rows}
          rowKey={(row) => row.key}
          columns={columns}
          selected={open}
          onOpen={(row) =>
            setParams(
              (before) => {
                if (open === row.key) before.delete('line');
                else before.set('line', row.key);
                return before;
              },
              { replace: true },
            )
          }
          detail={({ line }) =>
            line.charge_id ? <Explanation chargeId={line.charge_id} line={line} /> : null
          }
        />
      </Section>
      <Box
        component="dl"
        sx={{
          m: 0,
          ml: 'auto',
          width: 340,
          maxWidth: '100%',
          display: 'grid',
          gridTemplateColumns: '1fr auto',
          rowGap: 0.5,
          px: 1,
          fontVariantNumeric: 'tabular-nums',
          '& dd': { m: 0, textAlign: 'right' },
        }}
      >
        <dt>Net</dt>
        <dd>{formatMoney(invoice.net, invoice.currency)}</dd>
        {invoice.taxes.map((each) => (
          <Fragment key={`${each.category} ${each.percent}`}>
            <dt>
              Tax {formatQuantity(each.percent)} %
              {invoice.taxes.length > 1 && ` on ${formatMoney(each.net, invoice.currency)}`} (category{' '}
              {each.category})
            </dt>
            <dd>{formatMoney(each.tax, invoice.currency)}</dd>
          </Fragment>
        ))}
        <Box component="dt" sx={{ fontWeight: 660, borderTop: '1px solid', pt: 0.5 }}>
          Total {invoice.currency}
        </Box>
        <Box component="dd" sx={{ fontWeight: 660, borderTop: '1px solid', pt: 0.5 }}>
          {formatMoney(invoice.gross, invoice.currency)}
        </Box>
      </Box>
      {issuing && <IssueDialog drafts={[invoice]} onClose={() => setIssuing(false)} />}
    </Page>
  );
}
