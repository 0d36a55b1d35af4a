/** The limits of all customers beside each other: what is typed over them, what that leaves, and as a spreadsheet. */
import { infiniteQueryOptions } from '@tanstack/react-query';
import Papa from 'papaparse';
import { api, body, Refusal, type Schemas } from '../shared/api';
import { subtract, sum } from '../shared/decimal';

export type MatrixRow = Schemas['MatrixRowBody'];
export type MatrixCell = Schemas['MatrixCellBody'];
export type MatrixMeasure = Schemas['MatrixMeasureBody'];

/** What is typed over limits, by customer and measure. */
export type Typed = Readonly<Record<string, string>>;

export const NONE = 'none';
export const keyOf = (organisation: string, measure: string): string => `${organisation}|${measure}`;

export const matrixOptions = (organisation: string, search: string, limit = 50) =>
  infiniteQueryOptions({
    queryKey: ['quotas', organisation, 'matrix', search, limit],
    queryFn: async ({ pageParam }) =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/quota-matrix', {
          params: {
            path: { organisation },
            query: { search, limit, ...(pageParam ? { after: pageParam } : {}) },
          },
        }),
      ),
    initialPageParam: '',
    getNextPageParam: (last) => last.next ?? undefined,
  });

/** A limit as it stands in a cell: nothing where none was given, a word where there is none. */
export const written = (cell: MatrixCell): string => (cell.given ? (cell.limit ?? NONE) : '');

/** What is wrong with what is typed, if anything is. */
export const wrongWith = (typed: string): string | undefined =>
  typed === NONE || /^\d+(\.\d{1,6})?$/.test(typed) ? undefined : `A number, or ${NONE}`;

const cellsOf = (rows: readonly MatrixRow[]) =>
  rows.flatMap((row) => row.cells.map((cell) => ({ row, cell, key: keyOf(row.organisation, cell.measure) })));

/** What is typed and differs from what is there. */
export function changesOf(rows: readonly MatrixRow[], typed: Typed) {
  return cellsOf(rows)
    .filter(({ key, cell }) => typed[key] !== undefined && typed[key] !== written(cell))
    .map(({ row, cell, key }) => ({ row, cell, key, typed: typed[key] ?? '' }));
}

/** What of a measure the giver has left once all that is typed holds; null without limit, or while it cannot be told. */
export function leftWith(measure: MatrixMeasure, rows: readonly MatrixRow[], typed: Typed): string | null {
  if (measure.left === null) return null;
  const changed = changesOf(rows, typed).filter(({ cell }) => cell.measure === measure.measure);
  if (changed.some((each) => wrongWith(each.typed) || each.typed === NONE)) return null;
  const before = changed.map(({ cell }) => (cell.given ? (cell.limit ?? '0') : '0'));
  return subtract(measure.left, subtract(sum(changed.map((each) => each.typed)), sum(before)));
}

type Changes = ReturnType<typeof changesOf>;

/** Set all of it or nothing; a refusal says what is wrong with which. */
export async function setLimits(organisation: string, changes: Changes): Promise<Record<string, string>> {
  try {
    await api.PUT('/api/v1/organisations/{organisation}/quota-matrix', {
      params: { path: { organisation } },
      body: {
        changes: changes.map(({ row, cell, typed }) => ({
          organisation: row.organisation,
          measure: cell.measure,
          limit: typed === NONE ? null : typed,
          version: cell.version,
        })),
        check: false,
      },
    });
    return {};
  } catch (problem) {
    const [only] = changes;
    if (problem instanceof Refusal && changes.length === 1 && only) return { [only.key]: problem.message };
    const found = problem instanceof Refusal ? problem.facts.problems : undefined;
    if (!Array.isArray(found)) throw problem;
    return Object.fromEntries(
      (found as { place: number; message: string }[]).map(({ place, message }) => [
        changes[place]?.key ?? '',
        message,
      ]),
    );
  }
}

/** What a spreadsheet would carry out as a formula has an apostrophe before it. */
const plain = (text: string) => (/^[=+\-@\t\r]/.test(text) ? `'${text}` : text);

/** Limits as a spreadsheet (docs/formats.md). */
export function writeSheet(measures: readonly MatrixMeasure[], rows: readonly MatrixRow[]): string {
  const head = ['organisation', 'name', ...measures.map((each) => `${each.measure} [${each.unit}]`)];
  const lines = rows.map((row) => [
    row.organisation,
    plain(row.name),
    ...measures.map(({ measure }) => {
      const cell = row.cells.find((each) => each.measure === measure);
      return cell ? written(cell) : '';
    }),
  ]);
  return Papa.unparse([head, ...lines]);
}

/**
 * What a spreadsheet sets of customers that are shown.
 *
 * @throws Error with line and column, where something cannot be read.
 */
export function readSheet(
  content: string,
  measures: readonly MatrixMeasure[],
  rows: readonly MatrixRow[],
): Typed {
  const { data } = Papa.parse<string[]>(content.replace(/^\uFEFF/, ''), { skipEmptyLines: 'greedy' });
  const [first = [], ...lines] = data;
  const head = first.map((each) => each.replace(/\[.*$/, '').trim());
  const known = new Set(measures.map((each) => each.measure));
  const place = head.indexOf('organisation');
  const odd = head.find((each) => !known.has(each) && each !== 'organisation' && each !== 'name');
  if (place < 0)
    throw new Error('Line 1 names the columns: organisation, name, and measures like processors.');
  if (odd !== undefined) throw new Error(`Line 1: ${odd} is no measure.`);
  const customers = new Set(rows.map((row) => row.organisation));
  const typed: Record<string, string> = {};
  lines.forEach((line, index) => {
    const slug = line[place]?.trim() ?? '';
    if (!customers.has(slug))
      throw new Error(`Line ${index + 2}: ${slug || 'nobody'} is no customer that is shown.`);
    head.forEach((measure, column) => {
      const value = line[column]?.trim().toLowerCase() ?? '';
      if (!known.has(measure) || !value) return;
      const wrong = wrongWith(value);
      if (wrong) throw new Error(`Line ${index + 2}, ${measure}: ${value} is no limit. ${wrong}.`);
      typed[keyOf(slug, measure)] = value;
    });
  });
  return typed;
}
