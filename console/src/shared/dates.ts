/** Days and periods as text; the service decides what a month is. */

const MONTHS = [
  'January',
  'February',
  'March',
  'April',
  'May',
  'June',
  'July',
  'August',
  'September',
  'October',
  'November',
  'December',
];

/** `2026-10` as `October 2026`. */
export function periodName(period: string): string {
  const [year = '', month = '1'] = period.split('-');
  return `${MONTHS[Number(month) - 1] ?? period} ${year}`;
}

/** The month of a moment, and those before it, newest first. */
export function periodsUpTo(now: string, count: number): string[] {
  let [year = 2026, month = 1] = now.slice(0, 7).split('-').map(Number);
  const found: string[] = [];
  for (let index = 0; index < count; index += 1) {
    found.push(`${year}-${String(month).padStart(2, '0')}`);
    month -= 1;
    if (month === 0) [year, month] = [year - 1, 12];
  }
  return found;
}

/** The month so many months after another, or before it. */
export function periodsFrom(period: string, by: number): string {
  const [year = 2026, month = 1] = period.split('-').map(Number);
  const count = year * 12 + month - 1 + by;
  return `${Math.floor(count / 12)}-${String((count % 12) + 1).padStart(2, '0')}`;
}

/** The first day of the month after a moment's. */
export function nextMonth(now: string): string {
  const [year = 2026, month = 1] = now.slice(0, 7).split('-').map(Number);
  return month === 12 ? `${year + 1}-01-01` : `${year}-${String(month + 1).padStart(2, '0')}-01`;
}

/** `2026-10-05` as `5 Oct`. */
export function dayName(day: string): string {
  const [, month = '1', date = '1'] = day.slice(0, 10).split('-');
  return `${Number(date)} ${(MONTHS[Number(month) - 1] ?? '').slice(0, 3)}`;
}

/** Days from one to another, that one too. */
export const daysName = (first: string, last: string): string =>
  first === last ? dayName(first) : `${dayName(first)} to ${dayName(last)}`;

/** Days from one up to another, that one left out. */
export const daysBefore = (first: string, end: string): string => daysName(first, addDays(end, -1));

/** Days from one on, up to another one if there is such. */
export const daysSince = (first: string, end: string | null): string =>
  `from ${dayName(first)}${end ? ` up to ${dayName(end)}` : ''}`;

/** The local day that begins at a moment, whichever zone that is of: from ten hours behind UTC to 13:45 before it. */
export function dayThatBegins(moment: string): string {
  return new Date(Date.parse(moment) + 14 * 3600 * 1000 - 1).toISOString().slice(0, 10);
}

/** A half-open service period as its first and last day. */
export function servicePeriod(start: string, end: string): string {
  const first = dayThatBegins(start);
  const last = addDays(dayThatBegins(end), -1);
  return last <= first ? dayName(first) : `${dayName(first)} – ${dayName(last)}`;
}

/** A moment in UTC, to the minute. */
export const momentName = (moment: string): string => `${moment.slice(0, 10)} ${moment.slice(11, 16)}`;

/** A day so many days later; what is no day stays as it is. */
export function addDays(day: string, days: number): string {
  const moment = new Date(`${day}T12:00:00Z`);
  if (Number.isNaN(moment.getTime())) return day;
  moment.setUTCDate(moment.getUTCDate() + days);
  return moment.toISOString().slice(0, 10);
}

/** The days, or months, of a range, in order. */
export function times(from: string, to: string, by: 'day' | 'month'): string[] {
  const found: string[] = [];
  for (let day = from; day < to; day = addDays(day, 1)) {
    const time = by === 'day' ? day : day.slice(0, 7);
    if (found.at(-1) !== time) found.push(time);
  }
  return found;
}
