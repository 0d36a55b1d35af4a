/** How much of a limit is given on, in figures and as a bar. */
import { Box } from '@mui/material';
import { Bar } from '../shared/Bar';
import { compare, formatQuantity, share, sum } from '../shared/decimal';
import type { Quota } from './organisations';

export function QuotaBar({ quota }: { quota: Quota }) {
  const given = sum([quota.granted, quota.reservation]);
  const limit = quota.limit;
  const text =
    limit !== null && compare(given, '0') === 0
      ? `${formatQuantity(limit)} ${quota.unit}, none given on`
      : limit === null
        ? `${formatQuantity(given)} ${quota.unit} given on, no limit`
        : `${formatQuantity(given)} of ${formatQuantity(limit)} ${quota.unit} given on`;
  return (
    <Box sx={{ minWidth: 150 }}>
      <Box sx={{ fontSize: '0.8rem', fontVariantNumeric: 'tabular-nums', mb: 0.25 }}>{text}</Box>
      {limit !== null && <Bar tone="quota" value={share(given, limit)} label={text} />}
    </Box>
  );
}
