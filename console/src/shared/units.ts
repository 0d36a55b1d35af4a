/** Units as people read them: in the plural where there are several, and a month of 730 hours said as such. */

/** Words that units are made of and that have a plural; signs like GiB and vCPU have none. */
const PLURALS: Record<string, string> = {
  hour: 'hours',
  minute: 'minutes',
  second: 'seconds',
  day: 'days',
  month: 'months',
  year: 'years',
  byte: 'bytes',
  request: 'requests',
  address: 'addresses',
  copy: 'copies',
  instance: 'instances',
  machine: 'machines',
  node: 'nodes',
  organisation: 'organisations',
  piece: 'pieces',
  project: 'projects',
  seat: 'seats',
  user: 'users',
};

/**
 * A unit beside a quantity; without one as it stands after "per".
 *
 * `GiB-month730` is `GiB-month (730 h)`, `30 minute` is `30 minutes`.
 */
export function formatUnit(unit: string, count = '1'): string {
  const long = unit.endsWith('-month730');
  const plain = long ? unit.replace('-month730', '-month') : unit;
  const [last = '', ...before] = plain.split('-').reverse();
  const shown = Number(count) === 1 ? last : (PLURALS[last] ?? last);
  return [...before.reverse(), shown].join('-') + (long ? ' (730 h)' : '');
}
