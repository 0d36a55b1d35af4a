import { expect, it } from 'vitest';
import { lastDays } from './HostDays';
import { resourceName } from './hosts';

it('has a place for each of thirty days, over the end of a month', () => {
  const shown = lastDays([{ day: '2026-11-01' }, { day: '2026-10-31' }, { day: '2026-01-01' }], '2026-11-02');
  expect(shown).toHaveLength(30);
  expect(shown[0]).toEqual(['2026-10-04', undefined]);
  expect(shown.slice(-3)).toEqual([
    ['2026-10-31', { day: '2026-10-31' }],
    ['2026-11-01', { day: '2026-11-01' }],
    ['2026-11-02', undefined],
  ]);
});

it('calls a measure by its name, and anything else as its cloud does', () => {
  expect(resourceName('processors', 'vCPU')).toBe('Processors');
  expect(resourceName('CUSTOM_LICENCE', '')).toBe('CUSTOM_LICENCE');
});
