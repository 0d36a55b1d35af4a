/** What is in accounts that are linked already, and what a month of it would cost. */
import { Alert, Box } from '@mui/material';
import { dayName } from '../shared/dates';
import { quantityIn } from '../shared/units';
import { monthlyWords, type Onboarded } from './onboardings';

type Accounts = NonNullable<Onboarded['linked']>;

export function Linked({ found }: { found: Accounts }) {
  return (
    <Box sx={{ mt: 2, fontSize: '0.84rem', display: 'grid', gap: 1.5 }}>
      {found.accounts.map((each) => (
        <InAccount key={`${each.cloud_name} ${each.account}`} found={each} />
      ))}
      {found.monthly.length > 0 && (
        <Box>
          <Box sx={{ fontSize: '1.4rem', fontVariantNumeric: 'tabular-nums', fontWeight: 600 }}>
            {monthlyWords(found.monthly)}
          </Box>
          <Box sx={{ color: 'text.secondary' }}>next month with fees, net, if it uses the same there</Box>
        </Box>
      )}
      {found.not_priced.length > 0 && (
        <Alert severity="warning" variant="outlined">
          Not in that: {found.not_priced.join(', ')}.
        </Alert>
      )}
    </Box>
  );
}

function InAccount({ found }: { found: Accounts['accounts'][number] }) {
  const title = `In account ${found.account} of ${found.cloud_name}`;
  const count = found.resources === 1 ? '1 resource' : `${found.resources} resources`;
  return (
    <Box component="section" aria-label={title}>
      <Box component="h3" sx={{ fontSize: '0.9rem', m: 0, fontWeight: 620, overflowWrap: 'anywhere' }}>
        {title}
      </Box>
      {!found.measured && 'No feed measures this cloud, so nothing is known of what is there.'}
      {found.measured && !found.since && 'Nothing was used there, as far as its feed measured.'}
      {found.since && (
        <>
          {count} since {dayName(found.since)}, {found.owners.length ? found.owners.join(', ') : 'nobody’s'}{' '}
          until now. In the last 31 days:
          <Box component="ul" sx={{ m: 0, pl: 2.5 }}>
            {found.used.map((each) => (
              <li key={each.meter}>
                {each.meter_name}: {quantityIn(each.quantity, each.unit)}
              </li>
            ))}
          </Box>
        </>
      )}
    </Box>
  );
}
