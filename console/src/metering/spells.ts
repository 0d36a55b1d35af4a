/** Spells of a resource as they are drawn: where in the month, how long, and in words. */
import type { Said, Spell } from './metering';

/** What a resource is like: its phase first, then the rest. */
export function likeWords(attributes: Record<string, string>): string {
  const { phase, ...rest } = attributes;
  const said = Object.entries(rest).map(([name, value]) => `${name} ${value}`);
  return [...(phase ? [phase] : []), ...said].join(', ');
}

/** The phases of spells in the order in which they first come; without a phase it is just there. */
export const phasesOf = (spells: readonly Spell[]): string[] => [
  ...new Set(spells.map((each) => each.attributes.phase ?? '')),
];

/** Where a span begins and how wide it is, as shares of the time from one moment to another. */
export function placed(start: string, end: string, first: string, last: string): [number, number] {
  const [from, to, a, b] = [first, last, start, end].map((each) => Date.parse(each)) as [
    number,
    number,
    number,
    number,
  ];
  const whole = Math.max(1, to - from);
  return [(a - from) / whole, (b - a) / whole];
}

/** How long something was, in days, hours and minutes. */
export function lengthWords(start: string, end: string): string {
  const minutes = Math.floor((Date.parse(end) - Date.parse(start)) / 60_000);
  const parts: [number, string][] = [
    [Math.floor(minutes / 1440), 'd'],
    [Math.floor((minutes % 1440) / 60), 'h'],
    [minutes % 60, 'min'],
  ];
  return (
    parts
      .filter(([count]) => count)
      .map(([count, unit]) => `${count} ${unit}`)
      .join(' ') || 'under a minute'
  );
}

/** What was said of a moment, in words. */
export const saidWords = (said: Said): string =>
  Number(said.level) ? likeWords(said.attributes) || 'there' : 'gone';
