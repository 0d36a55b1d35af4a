/** What will happen, in sentences that stand beside what is written: what it costs, what it leaves, who decides. */
import { Alert, Box } from '@mui/material';
import type { ReactNode } from 'react';
import { measureName } from '../organisations/organisations';
import { formatQuantity } from '../shared/decimal';
import { formatUnit } from '../shared/units';
import { Linked } from './Linked';
import { monthlyWords, type Onboarded } from './onboardings';

export function Standing(props: {
  title: string;
  told: Pick<Onboarded, 'sentences' | 'monthly'> &
    Partial<Pick<Onboarded, 'leaves' | 'linked' | 'waits_because' | 'welcome'>>;
  /** Something newer is being looked at. */
  stale?: boolean;
  children?: ReactNode;
}) {
  const { title, told, stale, children } = props;
  const fees = told.monthly.length > 0;
  return (
    <Box component="section" aria-label={title} aria-busy={stale} sx={{ opacity: stale ? 0.6 : 1 }}>
      <Box component="h2" sx={{ fontSize: '1rem', m: 0, mb: 1, fontWeight: 640 }}>
        {title}
      </Box>
      <Box component="ol" sx={{ m: 0, pl: 2.5, display: 'grid', gap: 0.75, fontSize: '0.9rem' }}>
        {told.sentences.map((sentence) => (
          <li key={sentence}>{sentence}</li>
        ))}
      </Box>
      {fees && (
        <Box sx={{ mt: 2 }}>
          <Box sx={{ fontSize: '1.4rem', fontVariantNumeric: 'tabular-nums', fontWeight: 600 }}>
            {monthlyWords(told.monthly)}
          </Box>
          <Box sx={{ color: 'text.secondary', fontSize: '0.84rem' }}>
            a month by its fees, net, and what it uses
          </Box>
        </Box>
      )}
      {told.welcome && (
        <Box component="details" sx={{ mt: 2, fontSize: '0.84rem' }}>
          <Box component="summary" sx={{ cursor: 'pointer' }}>
            The mail that they get: {told.welcome.subject}
          </Box>
          <Box sx={{ whiteSpace: 'pre-line', overflowWrap: 'anywhere', mt: 1, color: 'text.secondary' }}>
            {told.welcome.text}
          </Box>
        </Box>
      )}
      {told.leaves?.length ? (
        <Box component="ul" sx={{ m: 0, mt: 2, p: 0, listStyle: 'none', fontSize: '0.84rem' }}>
          {told.leaves.map((each) => (
            <li key={each.measure}>
              {measureName(each.measure)}: leaves you {formatQuantity(each.left)} of{' '}
              {formatQuantity(each.limit)} {formatUnit(each.unit, each.limit)}
            </li>
          ))}
        </Box>
      ) : null}
      {told.linked && <Linked found={told.linked} />}
      {told.waits_because && (
        <Alert severity="warning" variant="outlined" sx={{ mt: 2 }}>
          Another administrator approves it first: {told.waits_because}.
        </Alert>
      )}
      {children}
    </Box>
  );
}
