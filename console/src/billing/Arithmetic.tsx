/** The arithmetic of a charge: by which rate, block by block. */
import { Box, Typography } from '@mui/material';
import { DataTable } from '../shared/DataTable';
import { dayName, momentName } from '../shared/dates';
import { compare, divide, formatQuantity, times } from '../shared/decimal';
import { MONO } from '../shared/theme';
import { formatUnit } from '../shared/units';
import type { Explanation as Why } from './invoices';

export function Arithmetic({ why, card, currency }: { why: Why; card: string; currency: string }) {
  const [priced, unit] = measureOf(why);
  return (
    <>
      <Typography variant="body2">
        <Said why={why} card={card} />
      </Typography>
      {why.blocks.length > 0 && (
        <DataTable
          name="blocks"
          label="Arithmetic"
          rows={why.blocks.map((block, index) => ({ ...block, key: String(index) }))}
          rowKey={(row) => row.key}
          columns={[
            {
              key: 'from',
              title: `From, ${formatUnit(unit, '2')}`,
              number: true,
              cell: (row) => formatQuantity(priced(row.from), 6),
            },
            {
              key: 'quantity',
              title: `Quantity, ${formatUnit(why.unit ?? '', '2')}`,
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
      {why.limits && <Limits limits={why.limits} />}
      {why.shared && (
        <Typography variant="body2">
          Counted per {why.over}: all its subscriptions together used {inWords(why, why.shared.quantity)},
          which comes to {formatQuantity(why.shared.amount, 12)} {currency}; this charge is the share of one,
          in proportion to quantity
          {above(why.committed_not_used)
            ? '; what is committed and not used is on those that are neither paused nor on trial'
            : ''}
          .
        </Typography>
      )}
    </>
  );
}

/** What might be had when: of it, each has what it did not pass on. */
function Limits({ limits }: { limits: NonNullable<Why['limits']> }) {
  return (
    <DataTable
      name="limits"
      label="What quotas promised"
      rows={limits.map((each, index) => ({ ...each, key: String(index) }))}
      rowKey={(row) => row.key}
      columns={[
        { key: 'holder', title: 'Whose', cell: (row) => row.holder_name },
        { key: 'site', title: 'At', cell: (row) => row.site ?? 'all sites' },
        {
          key: 'limit',
          title: 'Limit',
          number: true,
          cell: (row) => `${formatQuantity(row.limit, 6)} ${formatUnit(row.unit, row.limit)}`,
        },
        { key: 'start', title: 'From, UTC', cell: (row) => momentName(row.start) },
        { key: 'end', title: 'To, UTC', cell: (row) => momentName(row.end) },
      ]}
    />
  );
}

/** What a charge was priced in: how a quantity in base units is said in it, and its name. */
function measureOf(why: Why): [(quantity: string) => string, string] {
  const unit = why.unit ?? '';
  // Fees are of the seconds of a term, and lots of what fills them: neither is priced by a unit of use.
  if (!why.base_units_per_unit || unit === 'lot' || ['recurring', 'one_off'].includes(why.kind))
    return [(quantity) => quantity, why.base_unit ?? unit];
  const [top = '1', bottom = '1'] = why.base_units_per_unit.split('/');
  return [(quantity) => divide(times(quantity, bottom), top), unit];
}

function inWords(why: Why, quantity: string): string {
  const [priced, unit] = measureOf(why);
  const value = priced(quantity);
  return `${formatQuantity(value, 6)} ${formatUnit(unit, value)}`;
}

const ADJUSTED: Record<string, string> = {
  fixed: 'Fixed amount of the month',
  minimum: 'Raised to the minimum by',
  cap: 'Lowered to the cap by',
};

const above = (text: string | undefined): text is string => text !== undefined && compare(text, '0') > 0;

/** What was charged and by which rate, in a few sentences. */
function Said({ why, card }: { why: Why; card: string }) {
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
  if (why.kind === 'imported_cost' || why.kind === 'effective_cost')
    return (
      <>
        Rate <Mono>{why.rate}</Mono> of {where}
        {why.match && <>, for {why.match}</>}: {formatQuantity(why.cost?.amount ?? '0', 12)}{' '}
        {why.cost?.currency ?? why.unit} of {why.cost?.basis} cost, and {why.percent} % on top.
        {why.cost?.stated && (
          <>
            {' '}
            The supplier states {formatQuantity(why.cost.stated, 12)} {why.unit}; one is worth{' '}
            {(why.cost.exchange ?? [])
              .map((each) => `${formatQuantity(each.rate, 12)} since ${dayName(each.since)}`)
              .join(', ')}
            .
          </>
        )}
        {why.cost?.estimated && (
          <>
            {' '}
            {formatQuantity(why.cost.estimated, 12)} of it is for days that no file of the supplier states
            yet: they are estimated.
          </>
        )}
      </>
    );
  if (why.kind === 'one_off_charge')
    return <>Charged by hand by the seller on this day; no rate made it, and discounts do not touch it.</>;
  const fee = why.kind === 'recurring';
  return (
    <>
      Rate <Mono>{why.rate}</Mono> of {where}
      {why.match && <>, for {why.match}</>}.{' '}
      {fee ? 'A fee for' : why.kind === 'one_off' ? 'Charged once:' : why.limits ? 'Promised:' : 'Used:'}{' '}
      <strong>{why.kind === 'one_off' ? formatQuantity(why.quantity, 6) : inWords(why, why.quantity)}</strong>
      {fee
        ? `${why.advance ? ', in advance' : ''}, of the term’s ${formatQuantity(wholeSeconds(why))}.`
        : why.kind === 'one_off'
          ? '.'
          : why.unit === 'lot'
            ? ', in lots; one begun is charged whole.'
            : (why.base_units_per_unit ?? '1') === '1'
              ? '.'
              : `, ${why.limits ? 'counted' : 'measured'} as ${formatQuantity(why.quantity, 6)} ${formatUnit(why.base_unit ?? '', why.quantity)}.`}
      {!!why.composites?.length && (
        <>
          {' '}
          Of components of {why.composites.join(', ')} it is what they used in hours in which that was not
          charged in their place.
        </>
      )}
      {!!why.as_components?.length && (
        <>
          {' '}
          Hours of {why.as_components.join(', ')} in which the components were charged instead are left out.
        </>
      )}
      {above(why.covered_by_allowance) && (
        <> Allowances cover {inWords(why, why.covered_by_allowance)} of it.</>
      )}
      {above(why.committed_not_used) && (
        <> {inWords(why, why.committed_not_used)} more were committed and not used.</>
      )}
      {above(why.priced_before_in_period) && (
        <> {inWords(why, why.priced_before_in_period)} were priced earlier in the month.</>
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
