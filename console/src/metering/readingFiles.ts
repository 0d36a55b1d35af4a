/** Files of readings, as the command line reads them: CSV and JSON Lines to CloudEvents (docs/formats.md). */

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

/** Fields of a line of CSV (RFC 4180). */
function cells(line: string): string[] {
  const found: string[] = [];
  for (const match of line.matchAll(/(?:^|,)(?:"((?:[^"]|"")*)"|([^",]*))/g))
    found.push(match[1]?.replaceAll('""', '"') ?? match[2] ?? '');
  return found;
}

/**
 * The readings of a file.
 *
 * @throws Error with the line, where one cannot be read.
 */
export function readFile(name: string, content: string): ReadingEvent[] {
  const source = `/files/${name}`;
  const lines = content.replace(/^\uFEFF/, '').split(/\r?\n/);
  if (/\.(jsonl|ndjson)$/.test(name)) return readLines(name, lines, source);
  if (!name.endsWith('.csv')) throw new Error(`${name}: a file of readings ends in .csv, .jsonl or .ndjson`);
  const head = cells(lines[0] ?? '');
  const unknown = head.filter(
    (each) => ![...FIELDS, 'id', 'source', 'sequence'].includes(each) && !each.startsWith(ATTRIBUTE),
  );
  if (unknown.length) throw new Error(`${name}, line 1: unknown columns ${unknown.join(', ')}`);
  if (!head.includes('id')) throw new Error(`${name}, line 1: a column id is missing`);
  return lines.slice(1).flatMap((line, index) => {
    if (!line) return [];
    const values = cells(line);
    if (values.length !== head.length)
      throw new Error(
        `${name}, line ${index + 2}: ${values.length} fields where the head has ${head.length}`,
      );
    const row = Object.fromEntries(head.map((column, place) => [column, values[place] ?? '']));
    const attributes = Object.fromEntries(
      Object.entries(row)
        .filter(([column, value]) => column.startsWith(ATTRIBUTE) && value)
        .map(([column, value]) => [column.slice(ATTRIBUTE.length), value]),
    );
    const data: Record<string, unknown> = Object.fromEntries(
      FIELDS.filter((field) => row[field]).map((field) => [field, row[field]]),
    );
    if (Object.keys(attributes).length) data.attributes = attributes;
    if (row.sequence) data.sequence = Number(row.sequence);
    return [event(row.source || source, row.id ?? '', data)];
  });
}

function readLines(name: string, lines: string[], source: string): ReadingEvent[] {
  return lines.flatMap((line, index) => {
    if (!line.trim()) return [];
    let item: unknown;
    try {
      item = JSON.parse(line);
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
