/** Colours of series in charts, in their order: they differ in lightness too, so that grey and any eye tell them apart. */
export const SERIES = {
  light: ['#2f6b45', '#7fa8cc', '#b07a1e', '#5b3f73', '#c4705a', '#2b8a8a', '#8a8f3c', '#b0607e'],
  dark: ['#86c397', '#5f86ad', '#e2ab52', '#b497cf', '#d8836d', '#6fc7c3', '#b9bd6a', '#e3a1bb'],
} as const;
/** All the smaller ones together. */
export const REST = { light: '#a9b0aa', dark: '#66716f' } as const;

/** Fees and discounts, which belong to no service. */
export const FEES = { light: '#c9bf9f', dark: '#8f8770' } as const;

/**
 * The colour of each of some things: that of its place among all of its kind, so that it is the same on every page; the
 * next free one where two that are drawn would share it.
 */
export function colours(
  tone: 'light' | 'dark',
  keys: readonly string[],
  ranks: ReadonlyMap<string, number>,
): Map<string, string> {
  const hues = SERIES[tone];
  const taken = new Set<number>();
  const found = new Map<string, string>();
  const place = (key: string) => ranks.get(key) ?? keys.indexOf(key);
  for (const key of [...keys].sort((left, right) => place(left) - place(right))) {
    let hue = place(key) % hues.length;
    while (taken.has(hue) && taken.size < hues.length) hue = (hue + 1) % hues.length;
    taken.add(hue);
    found.set(key, hues[hue] ?? hues[0]);
  }
  return found;
}
