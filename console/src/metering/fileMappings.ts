/** Files in any shape: what is seen of one, how its columns are mapped, and sending it. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type Look = Schemas['FileLookBody'];
export type Mapping = Schemas['FileMappingForm-Output'];
type Said = Schemas['SaidForm-Output'];

/** A chosen file, as it is sent. */
export interface Chosen {
  name: string;
  content: string;
}

/** A mapping as the form has it; what names a column stands in brackets. */
export interface MappingValues {
  quantity: string;
  unit: string;
  meter: string;
  stands: { text: string; meter: string }[];
  resource: string;
  start: string;
  end: string;
  lasts: string;
  owner: string;
  account: string;
  identity: string[];
  times: string;
  zone: string;
  decimal: string;
}

export const LASTS = ['minute', 'quarter hour', 'hour', 'day', 'until the next'] as const;

const inBrackets = (column: string) => `[${column}]`;
export const columnOf = (written: string): string | null => /^\[(.+)\]$/.exec(written.trim())?.[1] ?? null;
const written = (said?: Said | null): string => (said?.column ? inBrackets(said.column) : (said?.text ?? ''));

/** What is said by what is written; what it said before of the same column it goes on to say. */
function said(text: string, before?: Said | null): Said {
  const column = columnOf(text);
  if (column === null) return { column: null, text: text.trim(), values: {} };
  return { column, text: null, values: before?.column === column ? before.values : {} };
}

/** What the form begins with: the feed's mapping, else what is guessed. */
export function valuesOf(look: Look, mapping: Mapping | null): MappingValues {
  const guess = look.guess;
  const [first] = mapping?.measured ?? [];
  const column = (name: string) => {
    const found = guess?.columns[name];
    return found ? inBrackets(found) : '';
  };
  const stands = first?.meter.values ?? guess?.meters ?? {};
  return {
    quantity: first?.quantity.column ?? guess?.columns.quantity ?? '',
    unit: first ? written(first.unit) : column('unit'),
    meter: first ? written(first.meter) : column('meter'),
    stands: Object.entries(stands).map(([text, meter]) => ({ text, meter })),
    resource: mapping?.resource.column ?? guess?.columns.resource ?? '',
    start: mapping?.start.column ?? guess?.columns.start ?? '',
    end: mapping ? (mapping.end?.column ?? '') : (guess?.columns.end ?? ''),
    lasts: mapping?.lasts ?? guess?.lasts ?? 'hour',
    owner: mapping ? written(mapping.owner) : column('owner'),
    account: mapping ? written(mapping.account) : column('account'),
    identity: mapping?.identity ?? guess?.identity ?? [],
    times: mapping?.times ?? guess?.times ?? '',
    zone: mapping?.zone ?? 'UTC',
    decimal: mapping?.decimal ?? guess?.decimal ?? '.',
  };
}

/** The mapping that is written, over what else was said before; null while something that it needs is not. */
export function mappingOf(values: MappingValues, before: Mapping | null, look: Look): Mapping | null {
  const { quantity, unit, meter, resource, start, identity } = values;
  if (!quantity || !unit.trim() || !meter.trim() || !resource || !start || !identity.length) return null;
  const [first, ...others] = before?.measured ?? [];
  const stands = Object.fromEntries(values.stands.map((each) => [each.text, each.meter]));
  const optional = (text: string, earlier?: Said | null) => (text.trim() ? said(text, earlier) : null);
  const guessed = Object.entries(look.guess?.attributes ?? {}).map(
    ([name, column]) => [name, { column, text: null, values: {} }] as const,
  );
  return {
    identity,
    measured: [
      {
        quantity: { column: quantity, text: null, values: {} },
        meter: columnOf(meter) ? { ...said(meter), values: stands } : said(meter),
        unit: said(unit, first?.unit),
      },
      ...others,
    ],
    resource: said(inBrackets(resource), before?.resource),
    start: said(inBrackets(start)),
    end: values.end ? said(inBrackets(values.end)) : null,
    lasts: values.end ? null : (values.lasts as Mapping['lasts']),
    source: before?.source ?? null,
    owner: optional(values.owner, before?.owner),
    account: optional(values.account, before?.account),
    sequence: before?.sequence ?? null,
    attributes: before?.attributes ?? Object.fromEntries(guessed),
    times: values.times.trim() || null,
    zone: values.zone.trim() || 'UTC',
    decimal: values.decimal as Mapping['decimal'],
    delimiter: before?.delimiter ?? null,
    encoding: before?.encoding ?? null,
  };
}

export const lookOptions = (feed: string, file: Chosen, mapping: Mapping | null) =>
  queryOptions({
    queryKey: ['file look', feed, file.name, file.content.length, mapping],
    queryFn: async ({ signal }) =>
      body(
        await api.POST('/api/v1/feeds/file-looks', {
          params: { query: { feed } },
          body: { ...file, mapping },
          signal,
        }),
      ),
    retry: false,
    placeholderData: (before) => before,
  });

export const mappingOptions = (feed: string) =>
  queryOptions({
    queryKey: ['file mapping', feed],
    queryFn: async () => body(await api.GET('/api/v1/feeds/file-mapping', { params: { query: { feed } } })),
  });

/** Saves a mapping over the version that was read. */
export async function saveMapping(feed: string, version: number, mapping: Mapping): Promise<void> {
  await api.PUT('/api/v1/feeds/file-mapping', { params: { query: { feed } }, body: { version, mapping } });
}

export async function sendFile(feed: string, file: Chosen, mapping: Mapping) {
  return body(
    await api.POST('/api/v1/deliveries/files', { params: { query: { feed } }, body: { ...file, mapping } }),
  );
}

/** A file as it is sent. */
export const chosen = (file: File): Promise<Chosen> =>
  new Promise((done, failed) => {
    const reader = new FileReader();
    reader.onerror = () => failed(new Error(`${file.name} cannot be read; choose it again`));
    reader.onload = () => done({ name: file.name, content: String(reader.result).replace(/^.*?,/, '') });
    reader.readAsDataURL(file);
  });

/** Whether a file has the documented columns of readings, so that nothing is to be mapped. */
export function hasOurColumns(name: string, content: string): boolean {
  const first = content.replace(/^\uFEFF/, '').split(/\r?\n/, 1)[0] ?? '';
  const needed = ['id', 'meter', 'quantity', 'start', 'end'];
  if (/\.csv$/i.test(name)) {
    const head = first.split(',').map((each) => each.replace(/^"|"$/g, ''));
    return needed.every((each) => head.includes(each));
  }
  return /\.(jsonl|ndjson)$/i.test(name) && needed.every((each) => first.includes(`"${each}"`));
}
