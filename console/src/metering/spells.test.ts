import { describe, expect, it } from 'vitest';
import type { Said, Spell } from './metering';
import { lengthWords, likeWords, phasesOf, placed, saidWords } from './spells';

const spell = (attributes: Record<string, string>) => ({ attributes }) as unknown as Spell;

describe('spells of a resource', () => {
  it('say the phase before anything else', () => {
    expect(likeWords({ size: 'large', phase: 'awake', disk: 'fast' })).toBe('awake, size large, disk fast');
    expect(likeWords({})).toBe('');
    expect(phasesOf([spell({ phase: 'parked' }), spell({}), spell({ phase: 'parked' })])).toEqual([
      'parked',
      '',
    ]);
  });

  it('have their place in the month', () => {
    const [from, wide] = placed(
      '2026-11-04T00:00:00Z',
      '2026-11-07T00:00:00Z',
      '2026-11-01T00:00:00Z',
      '2026-12-01T00:00:00Z',
    );
    expect([from, wide]).toEqual([0.1, 0.1]);
  });

  it('say how long they were', () => {
    expect(lengthWords('2026-11-01T00:00:00Z', '2026-11-03T05:07:30Z')).toBe('2 d 5 h 7 min');
    expect(lengthWords('2026-11-01T00:00:00Z', '2026-11-01T01:00:00Z')).toBe('1 h');
    expect(lengthWords('2026-11-01T00:00:00Z', '2026-11-01T00:00:40Z')).toBe('under a minute');
  });

  it('say that what has no level is gone', () => {
    expect(saidWords({ level: '0.000000', attributes: { phase: 'awake' } } as unknown as Said)).toBe('gone');
    expect(saidWords({ level: '1', attributes: {} } as unknown as Said)).toBe('there');
  });
});
