/** What a move does: in sentences, what becomes of each subscription, which limits go along, what stands against it. */
import { Alert, Box } from '@mui/material';
import { measureName } from '../organisations/organisations';
import { formatMoney, formatQuantity } from '../shared/decimal';
import { formatUnit } from '../shared/units';
import type { Move, Moved } from './moves';

const small = { m: 0, mt: 2, p: 0, listStyle: 'none', fontSize: '0.84rem' } as const;

export function MoveTold({ move, stale }: { move: Move; stale?: boolean }) {
  return (
    <Box
      component="section"
      aria-label="What the move does"
      aria-busy={stale}
      sx={{ gridColumn: '1 / -1', opacity: stale ? 0.6 : 1 }}
    >
      {move.hindrances.map((each) => (
        <Alert key={each} severity="warning" variant="outlined" sx={{ mb: 1.5 }}>
          It cannot move yet: {each}.
        </Alert>
      ))}
      <Box component="ol" sx={{ m: 0, pl: 2.5, display: 'grid', gap: 0.75, fontSize: '0.9rem' }}>
        {move.sentences.map((each) => (
          <li key={each}>{each}</li>
        ))}
      </Box>
      {move.subscriptions.length > 0 && (
        <Box component="ul" aria-label="What becomes of its subscriptions" sx={small}>
          {move.subscriptions.map((each) => (
            <li key={each.subscription}>{becomes(each)}</li>
          ))}
        </Box>
      )}
      {move.limits.length > 0 && (
        <Box component="ul" aria-label="Limits that it takes along" sx={small}>
          {move.limits.map((each) => (
            <li key={each.measure}>
              {measureName(each.measure)}: takes along {figure(each.limit, each.unit)}
              {each.left !== null && `, which leaves the new seller ${figure(each.left, each.unit)}`}
            </li>
          ))}
        </Box>
      )}
    </Box>
  );
}

const figure = (limit: string | null, unit: string): string =>
  limit === null ? 'no limit' : `${formatQuantity(limit)} ${formatUnit(unit, limit)}`;

/** What becomes of a subscription, in a line. */
function becomes(each: Moved): string {
  const what = [each.plan === each.subscription ? null : each.plan, each.tier].filter(Boolean).join(' ');
  const named = what ? `${each.subscription} (${what})` : each.subscription;
  if (each.ends) return `${named}: ends with the day before`;
  if (each.monthly === null || each.currency === null) return `${named}: goes on, at the new seller's prices`;
  return `${named}: goes on, then ${formatMoney(each.monthly, each.currency)} ${each.currency} a month by its fees`;
}
