/** Service periods as days, of sellers in any zone. */
import { expect, it } from 'vitest';
import { servicePeriod } from './dates';

it.each([
  ['Dublin in winter', '2026-11-01T00:00:00Z', '2026-12-01T00:00:00Z', '1 Nov – 30 Nov'],
  ['Auckland in summer', '2026-10-31T11:00:00Z', '2026-11-30T11:00:00Z', '1 Nov – 30 Nov'],
  ['Honolulu', '2026-11-01T10:00:00Z', '2026-12-01T10:00:00Z', '1 Nov – 30 Nov'],
  ['Kathmandu', '2026-10-31T18:15:00Z', '2026-11-01T18:15:00Z', '1 Nov'],
  ['part of a day', '2026-11-02T06:00:00Z', '2026-11-02T09:00:00Z', '2 Nov'],
])('says the local days of a seller: %s', (_, start, end, words) => {
  expect(servicePeriod(start, end)).toBe(words);
});
