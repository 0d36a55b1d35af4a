/** Colours of series in charts, in their order: they differ in lightness too, so that grey and any eye tell them apart. */
export const SERIES = {
  light: ['#2f6b45', '#7fa8cc', '#b07a1e', '#5b3f73', '#c4705a', '#2b8a8a', '#8a8f3c', '#b0607e'],
  dark: ['#86c397', '#5f86ad', '#e2ab52', '#b497cf', '#d8836d', '#6fc7c3', '#b9bd6a', '#e3a1bb'],
} as const;
/** All the smaller ones together. */
export const REST = { light: '#a9b0aa', dark: '#66716f' } as const;

/** Fees and discounts, which belong to no service. */
export const FEES = { light: '#c9bf9f', dark: '#8f8770' } as const;

/** Charges that come once, which belong to no service either. */
export const ONCE = { light: '#8795a1', dark: '#7d8b97' } as const;

/** A second round of the hues, for places beyond the eighth. */
const paler = (hue: string) => `color-mix(in oklab, ${hue} 52%, #9aa39c)`;

/**
 * The colour of each of some things: that of its place among all of its kind, so that it is the same on every page,
 * whatever else is drawn; things without a place by their order.
 */
export function colours(
  tone: 'light' | 'dark',
  keys: readonly string[],
  ranks: ReadonlyMap<string, number>,
): Map<string, string> {
  const hues = SERIES[tone];
  const at = (place: number) => {
    const hue = hues[place % hues.length] ?? hues[0];
    return place < hues.length ? hue : paler(hue);
  };
  const ranked = keys.some((key) => ranks.has(key));
  return new Map(
    keys.map((key, index) => {
      const place = ranks.get(key);
      if (place !== undefined) return [key, at(place)];
      return [key, ranked ? ONCE[tone] : at(index)];
    }),
  );
}
