/** One draft or document, each line unfolding into its explanation. */
import { Box, Button } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Fragment, useState } from 'react';
import { useNavigate, useParams, useSearchParams } from 'react-router';
import { useSignedIn } from '../access/session';
import { api } from '../shared/api';
import { periodName } from '../shared/dates';
import { compare, formatMoney, formatQuantity, subtract } from '../shared/decimal';
import { Page, Section } from '../shared/Page';
import { Query } from '../shared/States';
import { countryName } from '../shared/world';
import { IssueDialog } from './IssueDialog';
import { Lines } from './Lines';
import { type Invoice, documentName, invoiceOptions } from './invoices';
import { categoryName } from './taxRates';

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
  return (
    <Page
      title={`${documentName(invoice)}: ${invoice.parties.buyer.name}`}
      crumbs={[
        draft
          ? { to: '/invoices?state=draft', title: 'Drafts to review' }
          : { to: '/invoices', title: 'Invoices' },
      ]}
      lead={`${periodName(invoice.period)}, from ${invoice.parties.seller.name}`}
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
      <Due invoice={invoice} />
      <Parties invoice={invoice} />
      <Section
        title="Lines"
        aside={
          <Box sx={{ color: 'text.secondary', fontSize: '0.8rem' }}>
            Open a line to see why it is what it is
          </Box>
        }
      >
        <Lines
          invoice={invoice}
          open={open}
          onOpen={(key) =>
            setParams(
              (before) => {
                if (open === key) before.delete('line');
                else before.set('line', key);
                return before;
              },
              { replace: true },
            )
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
              {invoice.taxes.length > 1 && ` on ${formatMoney(each.net, invoice.currency)}`} (
              {categoryName(each.category)})
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
      {issuing && (
        <IssueDialog seller={invoice.seller} drafts={[invoice]} onClose={() => setIssuing(false)} />
      )}
    </Page>
  );
}

/** Who it is for and from, as their papers say. */
function Parties({ invoice }: { invoice: Invoice }) {
  const { seller, buyer, payer } = invoice.parties;
  const shown: [string, typeof buyer][] = [
    ...(payer ? ([['To be paid by', payer]] as [string, typeof buyer][]) : []),
    [payer ? 'For' : 'To', buyer],
    ['From', seller],
  ];
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 6, rowGap: 2, mb: 3, fontSize: '0.86rem' }}>
      {shown.map(([title, party]) => (
        <Box key={title} sx={{ minWidth: 180 }}>
          <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>{title}</Box>
          <Box sx={{ fontWeight: 600 }}>{party.legal_name ?? party.name}</Box>
          {[...party.address, countryName(party.country)].map((line) => (
            <div key={line}>{line}</div>
          ))}
          {party.tax_id && <Box sx={{ color: 'text.secondary' }}>Tax number {party.tax_id}</Box>}
        </Box>
      ))}
    </Box>
  );
}

/** What is to be paid, until when, and how it stands to the month before. */
function Due({ invoice }: { invoice: Invoice }) {
  const { currency } = invoice;
  const money = (amount: string) => `${formatMoney(amount, currency)} ${currency}`;
  const figures: [string, string, string][] = [
    [
      invoice.kind === 'credit_note' ? 'Given back' : 'To pay',
      money(invoice.gross),
      `${money(invoice.net)} net and ${money(invoice.tax)} tax`,
    ],
  ];
  if (invoice.due_date && invoice.kind !== 'credit_note')
    figures.push(['Due on', invoice.due_date, `dated ${invoice.invoice_date}`]);
  if (invoice.before !== null)
    figures.push([
      'The month before',
      money(invoice.before),
      `${money(subtract(invoice.net, invoice.before).replace('-', ''))} ${compare(invoice.net, invoice.before) < 0 ? 'less' : 'more'} now, net`,
    ]);
  if (compare(invoice.late, '0')) figures.push(['Of earlier months', money(invoice.late), 'came in late']);
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 6, rowGap: 2, mb: 3 }}>
      {figures.map(([title, figure, note]) => (
        <Box key={title}>
          <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>{title}</Box>
          <Box sx={{ fontSize: '1.3rem', fontWeight: 600, fontVariantNumeric: 'tabular-nums' }}>{figure}</Box>
          <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>{note}</Box>
        </Box>
      ))}
    </Box>
  );
}
