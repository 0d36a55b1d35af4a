import { describe, expect, it } from 'vitest';
import {
  averageOf,
  beside,
  compare,
  formatMoney,
  formatPrice,
  formatQuantity,
  readable,
  round,
  share,
  subtract,
  sum,
} from './decimal';
import { dayName, daysBefore, periodName, periodsUpTo, servicePeriod } from './dates';

describe('exact decimals', () => {
  it('adds and subtracts without losing a digit', () => {
    expect(sum(['0.1', '0.2'])).toBe('0.3');
    expect(sum(['12345678901234567890.000000000001', '-0.000000000001'])).toBe('12345678901234567890');
    expect(subtract('1', '-2.5')).toBe('3.5');
    expect(sum([])).toBe('0');
  });

  it('rounds half up, away from zero', () => {
    expect(round('0.005', 2)).toBe('0.01');
    expect(round('-0.005', 2)).toBe('-0.01');
    expect(round('1.0049', 2)).toBe('1.00');
    expect(round('7', 2)).toBe('7.00');
  });

  it('compares values, not texts', () => {
    expect(compare('10', '9.99')).toBe(1);
    expect(compare('1.0', '1')).toBe(0);
    expect(compare('-1', '0')).toBe(-1);
  });

  it('shows amounts with the currency’s decimals, thousands apart and a true minus', () => {
    expect(formatMoney('-1234567.5', 'EUR')).toBe('\u22121\u2009234\u2009567.50');
    expect(formatMoney('149315.7', 'JPY')).toBe('149\u2009316');
    expect(formatMoney('1', 'KWD')).toBe('1.000');
    expect(formatMoney('-0.001', 'EUR')).toBe('0.00');
  });

  it('shows quantities without trailing zeros', () => {
    expect(formatQuantity('1200.5000')).toBe('1\u2009200.5');
    expect(formatQuantity('100')).toBe('100');
    expect(formatQuantity('0.0004')).toBe('0');
  });

  it('pads prices so that their points stand under each other', () => {
    expect([...formatPrice('0.5')]).toHaveLength([...formatPrice('0.123456')].length);
    expect([...formatPrice('5')]).toHaveLength([...formatPrice('5.123456')].length);
  });

  it('turns base units into readable ones', () => {
    expect(readable('7200', 'vCPU-second')).toEqual({ text: '2', unit: 'vCPU-hour' });
    expect(readable(String(3600n * 1024n ** 3n), 'byte-second')).toEqual({ text: '1', unit: 'GiB-hour' });
    expect(readable('2048', 'byte')).toEqual({ text: '2', unit: 'KiB' });
    expect(readable('512', 'byte', '2048')).toEqual({ text: '0.5', unit: 'KiB' });
    expect([beside(['9000', '50', '0']), beside(['9', '8']), beside([])]).toEqual(['500', '9', '0']);
    expect(readable('211800000', 'micro-EUR')).toEqual({ text: '211.80', unit: 'EUR' });
  });

  it('gives shares for bars only between known wholes', () => {
    expect(share('1', '4')).toBe(0.25);
    expect(share('1', '0')).toBe(0);
  });

  it('refuses what is no decimal', () => {
    expect(() => sum(['12,5'])).toThrow('Invalid number');
  });
});

describe('days and periods', () => {
  it('names them', () => {
    expect(periodName('2026-10')).toBe('October 2026');
    expect(periodsUpTo('2026-02-03T00:00:00Z', 3)).toEqual(['2026-02', '2026-01', '2025-12']);
    expect(dayName('2026-10-05')).toBe('5 Oct');
  });

  it('shows a half-open service period by its first and last day, whatever the zone', () => {
    expect(servicePeriod('2026-08-31T23:00:00Z', '2026-09-30T23:00:00Z')).toBe('1 Sep – 30 Sep');
    expect(daysBefore('2026-11-01', '2026-12-01')).toBe('1 Nov to 30 Nov');
    expect(daysBefore('2026-11-01', '2026-11-02')).toBe('1 Nov');
    expect(servicePeriod('2026-09-30T15:00:00Z', '2026-10-31T15:00:00Z')).toBe('1 Oct – 31 Oct');
    expect(servicePeriod('2026-10-01T00:00:00Z', '2026-10-02T00:00:00Z')).toBe('1 Oct');
  });
});

describe('what one unit came to', () => {
  it('has four places, or three digits that say something, as on the document', () => {
    expect(averageOf('45.13', '11728')).toBe('0.00385');
    expect(averageOf('-12.50', '-1000')).toBe('0.0125');
    expect(averageOf('233.53', '79042241.333333')).toBe('0.00000295');
    expect(averageOf('0.01', '1000000000000000000')).toBe('0');
    expect(averageOf('1234.56', '0.5')).toBe(`2\u2009469.12`);
  });
  it('is left out where it says nothing', () => {
    expect([averageOf('5', '1'), averageOf('0', '9'), averageOf('5', '0')]).toEqual(['', '', '']);
  });
});
