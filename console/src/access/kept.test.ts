import { expect, it } from 'vitest';
import { daysWords } from './KeptPage';
import { type Archived, archivedWords, choices, sizeWords } from './MonthsKept';

it('says how long in words', () => {
  expect([null, 0, 1, 400].map(daysWords)).toEqual(['always', 'no longer', '1 day', '400 days']);
});

const month = (name: string) => ({ month: name, archived: 0, packed: 0, in_rows: 1 });
const months: Archived = {
  before: '2026-03',
  latest: '2026-08',
  task: null,
  wanted: null,
  items: ['2026-06', '2026-07', '2026-08'].map(month),
};

it('offers the months after those that there are, and what is so now', () => {
  expect(choices(months).map(([value]) => value)).toEqual(['', '2026-03', '2026-07', '2026-08']);
  expect(choices(months)[2]).toEqual(['2026-07', 'before July 2026']);
});

it('says what is archived and what is to be', () => {
  expect(archivedWords(months)).toBe('What was measured before March 2026 is archived, and its usage fixed.');
  expect(archivedWords({ ...months, before: null, task: 'x', wanted: '2026-07' })).toBe(
    'No readings are archived. It is being changed to before July 2026.',
  );
});

it('says sizes shortly', () => {
  expect([0, 2048, 5 * 2 ** 20, 3 * 2 ** 29].map(sizeWords)).toEqual(['–', '2.0 KiB', '5.0 MiB', '1.5 GiB']);
});
