/** How much of a limit is passed on, in figures and as a bar; whoever passes nothing on has the limit alone. */
import { Box } from '@mui/material';
import { Bar } from '../shared/Bar';
import { compare, formatQuantity, share, sum } from '../shared/decimal';
import type { Quota } from './organisations';

export function QuotaBar({
  quota,
  sells,
  brief = false,
}: {
  quota: Quota;
  sells: boolean;
  /** Where a heading says already what is counted. */
  brief?: boolean;
}) {
  const given = sum([quota.granted, quota.reservation]);
  const limit = quota.limit;
  const to = brief ? '' : sells ? ' passed on to customers' : ' given to projects';
  const text =
    compare(given, '0') === 0 && (limit === null || !sells)
      ? limit === null
        ? `${quota.unit}, no limit`
        : `${formatQuantity(limit)} ${quota.unit}`
      : limit === null
        ? `${formatQuantity(given)} ${quota.unit}${to}, no limit`
        : `${formatQuantity(given)} of ${formatQuantity(limit)} ${quota.unit}${to}`;
  return (
    <Box sx={{ minWidth: 150 }}>
      <Box sx={{ fontSize: '0.8rem', fontVariantNumeric: 'tabular-nums', mb: 0.25 }}>{text}</Box>
      {limit !== null && (sells || compare(given, '0') > 0) && (
        <Bar tone="quota" value={share(given, limit)} label={text} />
      )}
    </Box>
  );
}
