/** The quotas of an organisation as bars, each with what is in use of it. */
import { Box } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { compare } from '../shared/decimal';
import { Query } from '../shared/States';
import { QuotaBar } from './QuotaBar';
import { type Quota, type Use, measureName, quotasOptions, usesOptions } from './organisations';

/** A limit, or something that is passed on or in use of what has none; what is counted shows in its own place. */
const saysSomething = (quota: Quota, use: Use | undefined): boolean =>
  quota.project === null &&
  (quota.limit !== null ||
    compare(quota.granted, '0') > 0 ||
    (quota.kind !== 'count' && compare(use?.quantity ?? '0', '0') > 0));

export function QuotaBars({ organisation, sells }: { organisation: string; sells: boolean }) {
  const quotas = useQuery(quotasOptions(organisation));
  const uses = useQuery(usesOptions(organisation));
  return (
    <Query query={quotas} rows={2}>
      {(found) => (
        <Box sx={{ display: 'grid', gap: 2 }}>
          {found
            .map((quota) => ({ quota, use: uses.data?.find((each) => each.measure === quota.measure) }))
            .filter(({ quota, use }) => saysSomething(quota, use))
            .map(({ quota, use }) => (
              <Box key={quota.measure}>
                <Box sx={{ fontWeight: 560, fontSize: '0.86rem' }}>
                  {measureName(quota.measure, quota.kind)}
                </Box>
                <QuotaBar quota={quota} sells={sells} use={use} />
              </Box>
            ))}
        </Box>
      )}
    </Query>
  );
}
