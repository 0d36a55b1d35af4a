/** Colours of series in charts, in their order: they differ in lightness too, so that grey and any eye tell them apart. */
export const SERIES = {
  light: ['#2f6b45', '#7fa8cc', '#b07a1e', '#5b3f73', '#c4705a', '#2b8a8a', '#8a8f3c', '#b0607e'],
  dark: ['#86c397', '#5f86ad', '#e2ab52', '#b497cf', '#d8836d', '#6fc7c3', '#b9bd6a', '#e3a1bb'],
} as const;
/** All the smaller ones together. */
export const REST = { light: '#a9b0aa', dark: '#66716f' } as const;
