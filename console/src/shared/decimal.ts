/** Exact decimals as the service sends them: text in, text out, never a binary float. */
import Big from 'big.js';

/** Currencies without decimals, and with three; all others have two. */
const WITHOUT = 'BIF CLP DJF GNF ISK JPY KMF KRW PYG RWF UGX VND VUV XAF XOF XPF'.split(' ');
const THREE = 'BHD IQD JOD KWD LYD OMR TND'.split(' ');
const THIN = '\u2009';
const MINUS = '\u2212';

/** Decimal places of a currency (ISO 4217). */
export const minorUnits = (currency: string): number =>
  WITHOUT.includes(currency) ? 0 : THREE.includes(currency) ? 3 : 2;

// Rounded half up, away from zero; a quotient has more places than anything that is shown of it.
Big.RM = Big.roundHalfUp;
Big.DP = 24;

/** The exact sum. */
export const sum = (values: readonly string[]): string =>
  values.reduce((total, value) => total.plus(value), new Big(0)).toFixed();

/** `left` less `right`, exactly. */
export const subtract = (left: string, right: string): string => new Big(left).minus(right).toFixed();

/** The exact product. */
export const times = (left: string, right: string): string => new Big(left).times(right).toFixed();

/** One number by another, to 24 decimals. */
export const divide = (amount: string, by: string): string => new Big(amount).div(by).toFixed();

/** Below, at or above zero when `left` is less than, equal to or more than `right`. */
export const compare = (left: string, right: string): number => new Big(left).cmp(right);

/** Rounded half up, away from zero. */
export const round = (text: string, places: number): string => new Big(text).toFixed(places);

/** Rounded, without zeros that say nothing, as one types it. */
export const plain = (text: string, places: number): string =>
  new Big(new Big(text).toFixed(places)).toFixed();

/** A share between 0 and 1 for bars only; everything shown as a number stays text. */
export const share = (part: string, whole: string): number =>
  compare(whole, '0') > 0 ? Number(new Big(part).div(whole).toFixed(4, Big.roundDown)) : 0;

/** A share in percent with one decimal, rounded half up; null of nothing. */
export const percent = (part: string, whole: string): string | null =>
  compare(whole, '0') ? new Big(part).times(100).div(whole).toFixed(1) : null;

function group(text: string): string {
  const [whole = '0', decimals] = text.replace('-', '').split('.');
  const grouped = whole.replace(/\B(?=(\d{3})+(?!\d))/g, THIN);
  // What rounds to nothing is not less than nothing.
  return (/^-.*[1-9]/.test(text) ? MINUS : '') + grouped + (decimals ? `.${decimals}` : '');
}

/** An amount with its currency's decimals, thousands apart, a true minus. */
export const formatMoney = (amount: string, currency: string): string =>
  group(round(amount, minorUnits(currency)));

/** A share in percent with its sign. */
export const formatPercent = (percent: string): string => `${group(percent)} %`;

/** A quantity with at most `places` decimals and no trailing zeros. */
export function formatQuantity(quantity: string, places = 3): string {
  const rounded = round(quantity, places);
  return group(rounded.includes('.') ? rounded.replace(/\.?0+$/, '') : rounded);
}

/** What one unit came to, as documents have it: four places or three digits that say something; nothing for one, or none. */
export function averageOf(amount: string, quantity: string): string {
  if (['0', '1'].some((each) => compare(quantity, each) === 0) || compare(amount, '0') === 0) return '';
  const average = divide(amount, quantity);
  const [, zeros = ''] = /^-?0\.(0+)[1-9]/.exec(average) ?? [];
  return formatQuantity(average, Math.min(12, Math.max(4, zeros.length + 3)));
}

/** A price whose point stands under the points of its column: missing decimals are spaces as wide as figures. */
export function formatPrice(price: string, places = 6): string {
  const shown = formatQuantity(price, 12);
  const decimals = shown.split('.')[1]?.length ?? 0;
  if (decimals >= places) return shown;
  return shown + (decimals ? '' : '\u2008') + '\u2007'.repeat(places - decimals);
}

/** A whole number, thousands apart. */
export const formatCount = (count: number): string => group(String(count));

const BYTE_UNITS = ['byte', 'KiB', 'MiB', 'GiB', 'TiB', 'PiB'] as const;

/** The largest unit in which a quantity of base units is at least 1, and how many base units it is. */
function largestUnit(quantity: string, unit: string): { size: Big; unit: string } {
  let size = new Big(1);
  let rest = unit;
  // A cost counts in millionths, so that it is exact.
  if (unit.startsWith('micro-')) return { size: new Big(1_000_000), unit: unit.replace('micro-', '') };
  if (unit.endsWith('second')) {
    size = new Big(3600);
    rest = unit.replace(/second$/, 'hour');
  }
  if (rest.startsWith('byte')) {
    let step = 0;
    while (step < BYTE_UNITS.length - 1 && new Big(quantity).gte(size.times(1024))) {
      size = size.times(1024);
      step += 1;
    }
    rest = rest.replace('byte', BYTE_UNITS[step] ?? 'byte');
  }
  return { size, unit: rest };
}

/** The quantity in whose unit several of one meter can be compared: in which none is less than a tenth. */
export function beside(quantities: readonly string[]): string {
  const sizes = quantities.filter((each) => compare(each, '0')).map((each) => new Big(each).abs());
  const [first, ...rest] = sizes;
  if (!first) return '0';
  const least = rest.reduce((best, each) => (each.lt(best) ? each : best), first).times(10);
  const most = rest.reduce((best, each) => (each.gt(best) ? each : best), first);
  return (least.lt(most) ? least : most).toFixed();
}

/** A quantity in base units, shown in the largest unit that leaves at least 1 of it, or of `like`. Exact in the tooltip. */
export function readable(quantity: string, unit: string, like = quantity): { text: string; unit: string } {
  const { size, unit: shown } = largestUnit(like, unit);
  const many = new Big(quantity).div(size).toFixed();
  return {
    text: unit.startsWith('micro-') ? formatMoney(many, shown) : formatQuantity(many, 2),
    unit: shown,
  };
}

/** Quantities in base units, all of them in the unit in which the largest is at least 1. */
export function inOneUnit(quantities: string[], unit: string): { values: string[]; unit: string } {
  const most = quantities.reduce((best, each) => (compare(each, best) > 0 ? each : best), '0');
  const { size, unit: shown } = largestUnit(most, unit);
  return { values: quantities.map((each) => new Big(each).div(size).toFixed()), unit: shown };
}
