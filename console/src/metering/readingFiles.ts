/** Files of readings, as the command line reads them: CSV and JSON Lines to CloudEvents (docs/formats.md). */
import { parse as parseJson } from 'lossless-json';
import Papa from 'papaparse';

const TYPE = 'gradumen.reading.v1';
const FIELDS = ['owner', 'account', 'resource', 'meter', 'quantity', 'unit', 'start', 'end'];
const ATTRIBUTE = 'attribute.';

export interface ReadingEvent {
  specversion: '1.0';
  type: string;
  source: string;
  id: string;
  datacontenttype: string;
  data: Record<string, unknown>;
}

const event = (source: string, id: string, data: Record<string, unknown>): ReadingEvent => ({
  specversion: '1.0',
  type: TYPE,
  source,
  id,
  datacontenttype: 'application/json',
  data,
});

/**
 * The readings of a file.
 *
 * @throws Error with the line, where one cannot be read.
 */
export function readFile(name: string, content: string): ReadingEvent[] {
  const source = `/files/${name}`;
  if (/\.(jsonl|ndjson)$/.test(name)) return readLines(name, content.split(/\r?\n/), source);
  if (!name.endsWith('.csv')) throw new Error(`${name}: a file of readings ends in .csv, .jsonl or .ndjson`);
  // RFC 4180 ends lines with both; within a field it is all the same.
  const text = content.replace(/^\uFEFF/, '').replace(/\r\n?/g, '\n');
  const { data, errors } = Papa.parse<string[]>(text, { delimiter: ',', newline: '\n' });
  const [head = [], ...rows] = data;
  const unknown = head.filter(
    (each) => ![...FIELDS, 'id', 'source', 'sequence'].includes(each) && !each.startsWith(ATTRIBUTE),
  );
  if (unknown.length) throw new Error(`${name}, line 1: unknown columns ${unknown.join(', ')}`);
  if (!head.includes('id')) throw new Error(`${name}, line 1: a column id is missing`);
  const line = (row: number) => `${name}, line ${lineOf(data, row)}`;
  const [wrong] = errors;
  if (wrong) throw new Error(`${line(wrong.row ?? 0)}: ${wrong.message}`);
  return rows.flatMap((values, index) => {
    if (values.length === 1 && !values[0]) return [];
    if (values.length !== head.length)
      throw new Error(`${line(index + 1)}: ${values.length} fields where the head has ${head.length}`);
    const row = Object.fromEntries(head.map((column, place) => [column, values[place] ?? '']));
    const { sequence } = row;
    if (sequence && !/^-?\d{1,15}$/.test(sequence))
      throw new Error(`${line(index + 1)}: sequence '${sequence}' is not a whole number`);
    const attributes = Object.fromEntries(
      Object.entries(row)
        .filter(([column, value]) => column.startsWith(ATTRIBUTE) && value)
        .map(([column, value]) => [column.slice(ATTRIBUTE.length), value]),
    );
    const read = event(row.source || source, row.id ?? '', {
      ...Object.fromEntries(FIELDS.filter((field) => row[field]).map((field) => [field, row[field]])),
      ...(Object.keys(attributes).length ? { attributes } : {}),
      ...(sequence ? { sequence: Number(sequence) } : {}),
    });
    return [read];
  });
}

/** The line in which a row begins: those before it may have several. */
const lineOf = (rows: string[][], row: number): number =>
  rows.slice(0, row).reduce((line, cells) => line + cells.join('').split('\n').length, 1);

/** Numbers whose digits would get lost stay the text that they were. */
const number = (written: string): unknown =>
  Number.isSafeInteger(Number(written)) && /^-?\d+$/.test(written) ? Number(written) : written;

function readLines(name: string, lines: string[], source: string): ReadingEvent[] {
  return lines.flatMap((line, index) => {
    if (!line.trim()) return [];
    let item: unknown;
    try {
      item = parseJson(line, null, number);
    } catch {
      throw new Error(`${name}, line ${index + 1}: not JSON`);
    }
    if (typeof item !== 'object' || item === null || Array.isArray(item))
      throw new Error(`${name}, line ${index + 1}: a line is a JSON object`);
    const { id, source: own, type, ...data } = item as Record<string, unknown>;
    if (type === TYPE) return [item as ReadingEvent];
    return [event(typeof own === 'string' ? own : source, String(id ?? ''), data)];
  });
}
