/** Names of countries, also of what is none. */
import { expect, it } from 'vitest';
import { countries, countryName } from './world';

it('names countries, and shows what names none as it is', () => {
  expect(['IE', 'SE', 'QQ', '', 'ireland', 'i'].map(countryName)).toEqual([
    'Ireland',
    'Sweden',
    'QQ',
    '',
    'ireland',
    'i',
  ]);
});

it('has each country once, by name', () => {
  const found = countries();
  expect(found.map(([, name]) => name)).toEqual([...new Set(found.map(([, name]) => name))]);
  expect(found).toContainEqual(['IE', 'Ireland']);
  // Those of ISO 3166-1, and Kosovo by the code that is used for it; East Germany is not there any more.
  expect(found).toHaveLength(250);
  expect(found.filter(([code]) => ['EU', 'DD', 'SU', 'TA'].includes(code))).toEqual([]);
});
