/** What a state means, in four sentences. */
import { Box } from '@mui/material';
import type { Schemas } from '../shared/api';

const TITLES: [keyof Schemas['MeaningBody'], string][] = [
  ['sign_in', 'Sign-in'],
  ['usage', 'Usage'],
  ['ordering', 'Ordering'],
  ['billing', 'Billing'],
];

export function Meaning({ of }: { of: Schemas['MeaningBody'] }) {
  return (
    <Facts>
      {TITLES.map(([key, title]) => (
        <Fact key={key} title={title}>
          {of[key]}
        </Fact>
      ))}
    </Facts>
  );
}

/** Names with what there is to them. */
export function Facts({ children }: { children: React.ReactNode }) {
  return (
    <Box
      component="dl"
      sx={{
        m: 0,
        display: 'grid',
        gridTemplateColumns: { xs: '1fr', sm: '128px minmax(0, 1fr)' },
        columnGap: 2,
        rowGap: { xs: 0, sm: 0.75 },
        fontSize: '0.9rem',
        '& dt': { color: 'text.secondary' },
        '& dd': { m: 0, mb: { xs: 1, sm: 0 }, overflowWrap: 'anywhere' },
      }}
    >
      {children}
    </Box>
  );
}

export function Fact({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <>
      <dt>{title}</dt>
      <dd>{children}</dd>
    </>
  );
}
