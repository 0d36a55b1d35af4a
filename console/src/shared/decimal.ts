/** Exact decimals as the service sends them: text in, text out, never a binary float. */

const MINOR_UNITS: Record<string, number> = { JPY: 0, KRW: 0, ISK: 0, BHD: 3, KWD: 3, TND: 3 };
const THIN = '\u2009';
const MINUS = '\u2212';

/** Decimal places of a currency (ISO 4217). */
export const minorUnits = (currency: string): number => MINOR_UNITS[currency] ?? 2;

interface Scaled {
  units: bigint;
  places: number;
}

function parse(text: string): Scaled {
  const match = /^(-?)(\d+)(?:\.(\d+))?$/.exec(text);
  if (!match) throw new Error(`not a decimal: ${text}`);
  const decimals = match[3] ?? '';
  const units = BigInt((match[2] ?? '0') + decimals);
  return { units: match[1] ? -units : units, places: decimals.length };
}

const rescale = (value: Scaled, places: number): bigint => value.units * 10n ** BigInt(places - value.places);

function write(units: bigint, places: number): string {
  const digits = (units < 0n ? -units : units).toString().padStart(places + 1, '0');
  const whole = places ? digits.slice(0, -places) : digits;
  return (units < 0n ? '-' : '') + whole + (places ? `.${digits.slice(-places)}` : '');
}

/** The exact sum. */
export function sum(values: readonly string[]): string {
  const parsed = values.map(parse);
  const places = Math.max(0, ...parsed.map((value) => value.places));
  return write(
    parsed.reduce((total, value) => total + rescale(value, places), 0n),
    places,
  );
}

/** `left` less `right`, exactly. */
export const subtract = (left: string, right: string): string =>
  sum([left, right.startsWith('-') ? right.slice(1) : `-${right}`]);

/** Below, at or above zero when `left` is less than, equal to or more than `right`. */
export function compare(left: string, right: string): number {
  const [a, b] = [parse(left), parse(right)];
  const places = Math.max(a.places, b.places);
  const difference = rescale(a, places) - rescale(b, places);
  return difference < 0n ? -1 : difference > 0n ? 1 : 0;
}

/** Rounded half up, away from zero. */
export function round(text: string, places: number): string {
  const value = parse(text);
  if (value.places <= places) return write(rescale(value, places), places);
  const divisor = 10n ** BigInt(value.places - places);
  const size = value.units < 0n ? -value.units : value.units;
  const rounded = (size * 2n + divisor) / (divisor * 2n);
  return write(value.units < 0n ? -rounded : rounded, places);
}

/** A share between 0 and 1 for bars only; everything shown as a number stays text. */
export function share(part: string, whole: string): number {
  const [a, b] = [parse(part), parse(whole)];
  if (b.units <= 0n) return 0;
  const places = Math.max(a.places, b.places);
  return Number((rescale(a, places) * 10_000n) / rescale(b, places)) / 10_000;
}

/** A share in percent with one decimal, rounded half up; null of nothing. */
export function percent(part: string, whole: string): string | null {
  const [a, b] = [parse(part), parse(whole)];
  if (b.units === 0n) return null;
  const places = Math.max(a.places, b.places);
  const [above, below] = [rescale(a, places) * 1000n, rescale(b, places)];
  const negative = above < 0n !== below < 0n;
  const [size, divisor] = [above < 0n ? -above : above, below < 0n ? -below : below];
  const rounded = (size * 2n + divisor) / (divisor * 2n);
  return write(negative ? -rounded : rounded, 1);
}

function group(text: string): string {
  const [whole = '0', decimals] = text.replace('-', '').split('.');
  const grouped = whole.replace(/\B(?=(\d{3})+(?!\d))/g, THIN);
  return (text.startsWith('-') ? MINUS : '') + grouped + (decimals ? `.${decimals}` : '');
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

/** A quantity in base units, shown in the largest unit that leaves at least 1. Exact in the tooltip. */
export function readable(quantity: string, unit: string): { text: string; unit: string } {
  let value = parse(round(quantity, 6));
  let rest = unit;
  if (unit.endsWith('second')) {
    value = { units: value.units / 3600n, places: value.places };
    rest = unit.replace(/second$/, 'hour');
  }
  if (rest.startsWith('byte')) {
    let step = 0;
    while (step < BYTE_UNITS.length - 1 && value.units / 10n ** BigInt(value.places) >= 1024n) {
      value = { units: value.units / 1024n, places: value.places };
      step += 1;
    }
    rest = rest.replace('byte', BYTE_UNITS[step] ?? 'byte');
  }
  return { text: formatQuantity(write(value.units, value.places), 2), unit: rest };
}
