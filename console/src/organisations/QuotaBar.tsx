/** How much of a limit is passed on, in figures and as a bar; whoever passes nothing on has the limit alone. */
import { Box } from '@mui/material';
import { Bar } from '../shared/Bar';
import { compare, formatQuantity, share, sum } from '../shared/decimal';
import { formatUnit } from '../shared/units';
import type { Quota, Use } from './organisations';

export function QuotaBar({
  quota,
  sells,
  brief = false,
  use,
}: {
  quota: Quota;
  sells: boolean;
  /** Where a heading says already what is counted. */
  brief?: boolean;
  /** What is in use, where that is known. */
  use?: Use | undefined;
}) {
  const given = sum([quota.granted, quota.reservation]);
  const limit = quota.limit;
  const to = brief ? '' : sells ? ' passed on to customers' : ' given to projects';
  const text =
    compare(given, '0') === 0 && (limit === null || !sells)
      ? limit === null
        ? 'no limit'
        : `${formatQuantity(limit)} ${formatUnit(quota.unit, limit)}`
      : limit === null
        ? `${formatQuantity(given)} ${formatUnit(quota.unit, given)}${to}, no limit`
        : `${formatQuantity(given)} of ${formatQuantity(limit)} ${formatUnit(quota.unit, limit)}${to}`;
  const used = use?.quantity ?? null;
  if (used !== null && compare(given, '0') === 0 && (!sells || limit === null))
    return <InUse used={used} limit={limit} unit={quota.unit} />;
  return (
    <Box sx={{ minWidth: 150 }}>
      <Box sx={{ fontSize: '0.8rem', fontVariantNumeric: 'tabular-nums', mb: 0.25 }}>{text}</Box>
      {limit !== null && (sells || compare(given, '0') > 0) && (
        <Bar tone="quota" value={share(given, limit)} label={text} />
      )}
      {used !== null && (
        <Box sx={{ mt: 1 }}>
          <InUse used={used} limit={limit} unit={quota.unit} />
        </Box>
      )}
    </Box>
  );
}

/** What is in use of a limit, the newest whole hour's mean. */
function InUse({ used, limit, unit }: { used: string; limit: string | null; unit: string }) {
  const text =
    limit === null
      ? `${formatQuantity(used, 1)} ${formatUnit(unit, used)} in use, no limit`
      : `${formatQuantity(used, 1)} of ${formatQuantity(limit)} ${formatUnit(unit, limit)} in use`;
  return (
    <Box sx={{ minWidth: 150 }}>
      <Box sx={{ fontSize: '0.8rem', fontVariantNumeric: 'tabular-nums', mb: 0.25 }}>{text}</Box>
      {limit !== null && <Bar tone="quota" value={share(used, limit)} label={text} />}
    </Box>
  );
}
