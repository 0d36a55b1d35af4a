/** The steps of a chain from left to right: supplier, us, customers. */
import { Box } from '@mui/material';
import { useSignedIn } from '../access/session';
import type { LinkPeriod } from './spend';
import { formatMoney, subtract, sum } from '../shared/decimal';

interface Step {
  title: string;
  note: string;
  amounts: { currency: string; amount: string }[];
}

function totals(links: readonly LinkPeriod[]): { currency: string; amount: string }[] {
  const currencies = [...new Set(links.map((link) => link.currency))];
  return currencies.map((currency) => ({
    currency,
    amount: sum(links.filter((link) => link.currency === currency).map((link) => link.net)),
  }));
}

export function Chain({
  bought,
  internal,
  sold,
}: {
  bought: LinkPeriod[];
  internal: LinkPeriod[];
  sold: LinkPeriod[];
}) {
  const { home } = useSignedIn();
  const steps: Step[] = [];
  if (bought.length)
    steps.push({
      title: `Bought from ${bought.map((link) => link.seller_name).join(', ')}`,
      note: 'net',
      amounts: totals(bought),
    });
  if (internal.length) steps.push({ title: 'Own use', note: 'at internal cost', amounts: totals(internal) });
  if (sold.length)
    steps.push({
      title: `Sold to ${sold.length} ${sold.length === 1 ? 'buyer' : 'buyers'}`,
      note: 'net',
      amounts: totals(sold),
    });
  const cost = totals(bought);
  const price = totals(sold);
  const same = cost.length === 1 && price.length === 1 && cost[0]?.currency === price[0]?.currency;
  if (same && cost[0] && price[0])
    steps.push({
      title: 'Margin',
      note: 'sold less bought',
      amounts: [{ currency: price[0].currency, amount: subtract(price[0].amount, cost[0].amount) }],
    });
  return (
    <Box
      component="ol"
      aria-label={`The chain of ${home.name}`}
      sx={{ listStyle: 'none', p: 0, m: 0, mb: 4, display: 'flex', flexWrap: 'wrap', alignItems: 'flex-end' }}
    >
      {steps.map((step, index) => (
        <Box
          component="li"
          key={step.title}
          sx={{
            borderBottom: '2px solid',
            borderLeft: index ? '2px solid' : 0,
            borderColor: 'primary.main',
            pl: index ? 2 : 0,
            pr: 4,
            pb: 1,
            // Each step stands a little higher than the one before, as the mark does.
            mb: { xs: 1, md: `${index * 14}px` },
            minWidth: 180,
          }}
        >
          <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>
            {step.title} <span>({step.note})</span>
          </Box>
          {step.amounts.map((each) => (
            <Box
              key={each.currency}
              sx={{ fontSize: '1.25rem', fontWeight: 600, fontVariantNumeric: 'tabular-nums' }}
            >
              {formatMoney(each.amount, each.currency)}{' '}
              <Box component="span" sx={{ fontSize: '0.8rem', fontWeight: 450, color: 'text.secondary' }}>
                {each.currency}
              </Box>
            </Box>
          ))}
        </Box>
      ))}
    </Box>
  );
}
