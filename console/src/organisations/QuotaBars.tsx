/** The quotas of an organisation as bars, each with what is in use of it. */
import { Box } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Query } from '../shared/States';
import { QuotaBar } from './QuotaBar';
import { measureName, quotasOptions, usesOptions } from './organisations';

export function QuotaBars({ organisation, sells }: { organisation: string; sells: boolean }) {
  const quotas = useQuery(quotasOptions(organisation));
  const uses = useQuery(usesOptions(organisation));
  return (
    <Query query={quotas} rows={2}>
      {(found) => (
        <Box sx={{ display: 'grid', gap: 2 }}>
          {found
            .filter((quota) => quota.project === null)
            .map((quota) => (
              <Box key={quota.measure}>
                <Box sx={{ fontWeight: 560, fontSize: '0.86rem' }}>{measureName(quota.measure)}</Box>
                <QuotaBar
                  quota={quota}
                  sells={sells}
                  use={uses.data?.find((each) => each.measure === quota.measure)}
                />
              </Box>
            ))}
        </Box>
      )}
    </Query>
  );
}
