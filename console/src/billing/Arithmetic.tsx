/** The arithmetic of a charge: by which rate, block by block. */
import { Box, Typography } from '@mui/material';
import { DataTable } from '../shared/DataTable';
import { compare, formatQuantity } from '../shared/decimal';
import { MONO } from '../shared/theme';
import type { Explanation as Why } from './invoices';

export function Arithmetic({ why, card, currency }: { why: Why; card: string; currency: string }) {
  const base = why.base_unit ?? '';
  return (
    <>
      <Typography variant="body2">
        <Said why={why} card={card} base={base} />
      </Typography>
      {why.blocks.length > 0 && (
        <DataTable
          name="blocks"
          label="Arithmetic"
          rows={why.blocks.map((block, index) => ({ ...block, key: String(index) }))}
          rowKey={(row) => row.key}
          columns={[
            { key: 'from', title: `From, ${base}`, number: true, cell: (row) => formatQuantity(row.from, 6) },
            {
              key: 'quantity',
              title: `Quantity, ${why.unit ?? ''}`,
              number: true,
              cell: (row) => formatQuantity(row.in_units, 6),
            },
            { key: 'times', title: '', cell: () => '×' },
            {
              key: 'price',
              title: `Price, ${currency}`,
              number: true,
              cell: (row) => formatQuantity(row.price, 12),
            },
            { key: 'equals', title: '', cell: () => '=' },
            {
              key: 'amount',
              title: currency,
              number: true,
              cell: (row) => formatQuantity(row.amount, 12),
              total: formatQuantity(why.amount, 12),
            },
          ]}
        />
      )}
      {(why.adjustments ?? []).map((each) => (
        <Typography key={each.kind} variant="body2">
          {ADJUSTED[each.kind] ?? each.kind}: {formatQuantity(each.amount, 12)} {currency}.
        </Typography>
      ))}
      {why.shared && (
        <Typography variant="body2">
          Counted per {why.over}: all its subscriptions together used {formatQuantity(why.shared.quantity, 6)}{' '}
          {base}, which comes to {formatQuantity(why.shared.amount, 12)} {currency}; this charge is the share
          of one, in proportion to quantity.
        </Typography>
      )}
    </>
  );
}

const ADJUSTED: Record<string, string> = {
  fixed: 'Fixed amount of the month',
  minimum: 'Raised to the minimum by',
  cap: 'Lowered to the cap by',
};

const above = (text: string | undefined): text is string => text !== undefined && compare(text, '0') > 0;

/** What was charged and by which rate, in a few sentences. */
function Said({ why, card, base }: { why: Why; card: string; base: string }) {
  const where = (
    <>
      <Mono>{card}</Mono> version {why.rate_card_version}, in force from {why.starts_on}
    </>
  );
  if (why.kind === 'discount')
    return (
      <>
        Discount <Mono>{why.rate}</Mono> of {where}
        {why.percent ? `: ${why.percent} % of ` : ', off '}
        {formatQuantity(why.priced_before_in_period ?? '0', 12)}.
      </>
    );
  if (why.kind === 'commitment')
    return (
      <>
        Minimum spend <Mono>{why.rate}</Mono> of {where}: what was charged falls short of it by this amount.
      </>
    );
  if (why.kind === 'spread')
    return (
      <>
        Fixed cost <Mono>{why.rate}</Mono> of {where}: {why.shared?.amount ?? ''} for its part of the month,
        spread by <Mono>{why.spread_by ?? ''}</Mono>. This line used {formatQuantity(why.key ?? '0', 6)} of{' '}
        {formatQuantity(why.shared?.quantity ?? '0', 6)}.
      </>
    );
  if (why.kind === 'overhead')
    return (
      <>
        Overhead of {where}: {why.percent} % on {formatQuantity(why.priced_before_in_period ?? '0', 12)}.
      </>
    );
  if (why.kind === 'one_off_charge')
    return <>Charged by hand by the seller on this day; no rate made it, and discounts do not touch it.</>;
  const fee = why.kind === 'recurring';
  return (
    <>
      Rate <Mono>{why.rate}</Mono> of {where}
      {why.match && <>, for {why.match}</>}.{' '}
      {fee ? 'A fee for' : why.kind === 'one_off' ? 'Charged once:' : 'Used:'}{' '}
      <strong>
        {formatQuantity(why.quantity, 6)} {why.kind === 'one_off' ? '' : base}
      </strong>
      {fee
        ? `${why.advance ? ', in advance' : ''}, of the term’s ${formatQuantity(wholeSeconds(why))}.`
        : why.kind === 'one_off'
          ? '.'
          : why.kind === 'lots'
            ? ', in lots; one begun is charged whole.'
            : `, ${formatQuantity(why.base_units_per_unit ?? '1')} of which are one ${why.unit ?? ''}.`}
      {above(why.covered_by_allowance) && (
        <>
          {' '}
          Allowances cover {formatQuantity(why.covered_by_allowance, 6)} {base} of it.
        </>
      )}
      {above(why.committed_not_used) && (
        <>
          {' '}
          {formatQuantity(why.committed_not_used, 6)} {base} more were committed and not used.
        </>
      )}
      {above(why.priced_before_in_period) && (
        <>
          {' '}
          {formatQuantity(why.priced_before_in_period, 6)} {base} were priced earlier in the month.
        </>
      )}
    </>
  );
}

/** The seconds of a fee's whole term: those of one piece, times the pieces. */
function wholeSeconds(why: Why): string {
  const [top = '1', bottom = '1'] = (why.base_units_per_unit ?? '1').split('/');
  const pieces = BigInt(why.subscribed_quantity ?? 1);
  return String((BigInt(top.split('.')[0] ?? '1') * pieces) / BigInt(bottom));
}

export function Mono({ children }: { children: string }) {
  return (
    <Box component="span" sx={{ fontFamily: MONO, fontSize: '0.8rem' }}>
      {children}
    </Box>
  );
}
