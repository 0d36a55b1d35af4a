/** What a tier has, in words. */
import { type Measure, unitOfMeasure } from '../organisations/measures';
import { formatQuantity } from '../shared/decimal';
import { formatUnit } from '../shared/units';

const LEVELS: Record<string, string> = {
  'recovery-point': 'Recovery point',
  'recovery-time': 'Recovery time',
  'kept-for': 'Kept',
  'response-time': 'Response',
};

/** A service level by name. */
export const levelName = (level: string): string =>
  LEVELS[level] ?? level.charAt(0).toUpperCase() + level.slice(1).replaceAll('-', ' ');

/** A quantity with its unit, like an allowance or a service level: `24 hour` as 24 hours. */
export function quantityWords(written: string): string {
  const [count = '', unit = ''] = written.split(/ (.*)/);
  if (!/^\d+(\.\d+)?$/.test(count)) return written;
  return unit ? `${formatQuantity(count, 6)} ${formatUnit(unit, count)}` : formatQuantity(count, 6);
}

/** A default quota with the unit of its measure. */
export const quotaWords = (measures: Measure[], measure: string, value: string): string =>
  `${formatQuantity(value)} ${formatUnit(unitOfMeasure(measures, measure), value)}`;
