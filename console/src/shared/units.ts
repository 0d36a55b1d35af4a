/** Units as people read them: in the plural where there are several, and a month of 730 hours said as such. */
import { formatCount, readable } from './decimal';

/** Several of a unit: words have a regular plural, signs like GiB, vCPU and Mbit have none. */
function pluralOf(name: string): string {
  if (!/^[a-z]+$/.test(name) || name.endsWith('bit')) return name;
  if (/[^aeou]y$/.test(name)) return `${name.slice(0, -1)}ies`;
  return /(s|x|z|ch|sh)$/.test(name) ? `${name}es` : `${name}s`;
}

/**
 * A unit beside a quantity; without one as it stands after "per".
 *
 * `GiB-month730` is `GiB-month (730 h)`, `30 minute` is `30 minutes`.
 */
export function formatUnit(unit: string, count = '1'): string {
  const long = unit.endsWith('-month730');
  const plain = long ? unit.replace('-month730', '-month') : unit;
  const [last = '', ...before] = plain.split('-').reverse();
  const shown = Number(count) === 1 ? last : pluralOf(last);
  return [...before.reverse(), shown].join('-') + (long ? ' (730 h)' : '');
}

/** So many of something. */
export const counted = (count: number, noun: string): string =>
  `${formatCount(count)} ${count === 1 ? noun : pluralOf(noun)}`;

/** A quantity in base units, in the largest unit that leaves at least 1 of it, or of `like`, with it. */
export function quantityIn(quantity: string, unit: string, like = quantity): string {
  const { text, unit: shown } = readable(quantity, unit, like);
  return `${text} ${formatUnit(shown, text)}`;
}
