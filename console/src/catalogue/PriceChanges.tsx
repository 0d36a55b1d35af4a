/** Told before: prices that this organisation pays and that are about to change. */
import { Alert, Box, Link } from '@mui/material';
import { queryOptions, useQuery } from '@tanstack/react-query';
import { Link as RouterLink } from 'react-router';
import { useSignedIn } from '../access/session';
import { api, body } from '../shared/api';
import { dayName } from '../shared/dates';

export const priceChangesOptions = queryOptions({
  queryKey: ['price changes'],
  queryFn: async () => body(await api.GET('/api/v1/price-changes')).items,
});

export function PriceChanges() {
  const { home } = useSignedIn();
  const changes = useQuery(priceChangesOptions);
  if (!changes.data?.length) return null;
  return (
    <Alert severity="warning" variant="outlined" sx={{ mb: 3 }}>
      {changes.data.map((each) => (
        <Box key={`${each.buyer} ${each.rate_card} ${each.starts_on}`}>
          From {dayName(each.starts_on)} {each.starts_on.slice(0, 4)} the prices of{' '}
          <Link component={RouterLink} to={`/rate-cards?card=${each.seller}/${each.rate_card}`}>
            {each.name}
          </Link>
          , which {each.buyer === home.organisation ? 'you pay' : `${each.buyer} pays`} for{' '}
          {each.subscriptions} {each.subscriptions === 1 ? 'subscription' : 'subscriptions'}, change in{' '}
          {each.differences.length} {each.differences.length === 1 ? 'place' : 'places'}.
        </Box>
      ))}
    </Alert>
  );
}
