/** What a state means, in four sentences. */
import type { Schemas } from '../shared/api';
import { Fact, Facts } from '../shared/Facts';

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
