import { expect, it } from 'vitest';
import { daysWords } from './KeptPage';

it('says how long in words', () => {
  expect([null, 0, 1, 400].map(daysWords)).toEqual(['always', 'no longer', '1 day', '400 days']);
});
