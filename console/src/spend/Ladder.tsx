/** The chain as a ladder of money, from left to right: what it costs, what it is sold for, what is kept. */
import { Box } from '@mui/material';
import type { ReactNode } from 'react';
import { compare, formatCount, formatMoney, formatPercent, percent } from '../shared/decimal';
import type { SpendCurrency } from './spending';

const LINE = '2px solid var(--mui-palette-primary-main)';

export interface Step {
  title: string;
  amount: ReactNode;
  note: string;
  /** What is lost, where it is less than nothing. */
  lost?: boolean;
}

/** The steps of a seller's month in one currency. */
export function sellersSteps(shown: SpendCurrency, customers: number, supplied: boolean): Step[] {
  const { total, currency } = shown;
  const own = total.costs.filter((each) => each.currency === currency);
  const others = total.costs.filter((each) => each.currency !== currency);
  const cost = total.costs.length
    ? [...own, ...others].map((each) => `${formatMoney(each.amount, each.currency)} ${each.currency}`)
    : ['not known'];
  const sharePaid = own[0] && !others.length ? percent(own[0].amount, total.amount) : null;
  const steps: Step[] = [
    {
      title: supplied ? 'Cost: supplier and own services' : 'Cost: own services',
      amount: cost.join(' + '),
      note:
        sharePaid === null
          ? total.costs.length
            ? ''
            : 'no cost card prices it'
          : `${formatPercent(sharePaid)} of what is sold`,
    },
    {
      title: `Sold to ${formatCount(customers)} ${customers === 1 ? 'customer' : 'customers'}`,
      amount: `${formatMoney(total.amount, currency)} ${currency}`,
      note: 'net of tax, billed or not',
    },
    // Without any known cost all of it would look like margin.
    total.margin === null || !total.costs.length
      ? {
          title: 'Margin',
          amount: 'cannot be told',
          note: others.length
            ? `part of the cost is in ${others.map((each) => each.currency).join(' and ')}, and no rate of exchange is agreed`
            : 'its cost is not known',
        }
      : {
          title: 'Margin, which only you see',
          amount: `${formatMoney(total.margin, currency)} ${currency}`,
          note: total.margin_percent === null ? '' : `${formatPercent(total.margin_percent)} of what is sold`,
          lost: compare(total.margin, '0') < 0,
        },
  ];
  return steps;
}

export function Ladder({ steps, label }: { steps: Step[]; label: string }) {
  return (
    <Box
      component="ol"
      aria-label={label}
      sx={{
        listStyle: 'none',
        p: 0,
        m: 0,
        mb: 3,
        display: 'grid',
        gridTemplateColumns: { xs: '1fr', sm: `repeat(${steps.length}, minmax(0, 1fr))` },
        alignItems: 'end',
      }}
    >
      {steps.map((step, index) => (
        <Box
          component="li"
          key={step.title}
          sx={{
            borderBottom: LINE,
            borderLeft: { xs: 0, sm: index ? LINE : 0 },
            pl: { xs: 0, sm: index ? 1.5 : 0 },
            pr: 1.5,
            pb: 1,
            // Each step stands higher than the one before, as the mark does.
            mb: { xs: 1, sm: `${index * 26}px` },
            minWidth: 0,
            overflowWrap: 'anywhere',
          }}
        >
          <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>{step.title}</Box>
          <Box
            sx={{
              fontSize: '1.2rem',
              fontWeight: 640,
              fontVariantNumeric: 'tabular-nums',
              color: step.lost
                ? 'warning.main'
                : index && index === steps.length - 1
                  ? 'primary.main'
                  : undefined,
            }}
          >
            {step.amount}
          </Box>
          <Box sx={{ fontSize: '0.78rem', color: 'text.secondary', minHeight: '1.2em' }}>{step.note}</Box>
        </Box>
      ))}
    </Box>
  );
}
