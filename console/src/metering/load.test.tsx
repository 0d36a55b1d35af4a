import { expect, it } from 'vitest';
import { daysOf, withGaps } from './Load';

it('looks back from now, or from the end of a month that is over', () => {
  expect(daysOf('7', '2026-11', '2026-11-29')).toEqual(['2026-11-23', '2026-11-30']);
  expect(daysOf('1', '2026-10', '2026-11-29')).toEqual(['2026-10-31', '2026-11-01']);
  expect(daysOf('month', '2026-10', '2026-11-29')).toEqual(['2026-10-01', '2026-11-01']);
});

it('leaves a gap where nothing was said', () => {
  const times = ['2026-09-10T00:00:00Z', '2026-09-10T01:00:00Z', '2026-09-10T05:00:00Z'];
  expect(withGaps(times, ['1', '2', '3'])).toEqual([
    [times[0], times[1], '2026-09-10T02:00:00.000Z', times[2]],
    ['1', '2', null, '3'],
  ]);
});
