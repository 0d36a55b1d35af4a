/** Of which meter something is that is sent under another name: what nothing says so of, and the rules that do. */
import { queryOptions, useQueryClient } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import { daysName } from '../shared/dates';
import { useToast } from '../shared/Toasts';
import { counted, formatUnit, quantityIn } from '../shared/units';
import { fixedWords } from './ownership';

export type KindRule = Schemas['KindRuleForm-Output'];
export type KindRules = Schemas['KindRulesBody'];
export type UnknownKind = Schemas['UnknownKindBody'];
export type KindPreview = Schemas['KindPreviewBody'];
export type Tried = Schemas['ReadingTrialBody'];
export type Trial = Schemas['ReadingTrial'];

const path = (organisation: string) => ({ params: { path: { organisation } } });

export const kindRulesOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['kind rules', organisation],
    queryFn: async () =>
      body(await api.GET('/api/v1/organisations/{organisation}/kind-rules', path(organisation))),
  });

export const unknownKindsOptions = (organisation: string, period: string) =>
  queryOptions({
    queryKey: ['unknown kinds', organisation, period],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/unknown-kinds', {
          params: { path: { organisation }, query: { period } },
        }),
      ),
    refetchInterval: (query) => (query.state.data?.waiting ? 2_000 : false),
  });

/** What rules would change; asked anew for others. */
export const kindPreviewOptions = (organisation: string, rules: KindRule[]) =>
  queryOptions({
    queryKey: ['kind preview', organisation, JSON.stringify(rules)],
    queryFn: async () =>
      body(
        await api.POST('/api/v1/organisations/{organisation}/kind-rules/preview', {
          ...path(organisation),
          body: { rules },
        }),
      ),
    retry: false,
  });

export const tryReading = async (organisation: string, trial: Trial): Promise<Tried> =>
  body(
    await api.POST('/api/v1/organisations/{organisation}/kind-rules/trial', {
      ...path(organisation),
      body: trial,
    }),
  );

/** Sets others in the place of rules, says so, and shows what is different by that. */
export function useSetKindRules(rules: KindRules): (wanted: KindRule[], done: string) => Promise<void> {
  const queries = useQueryClient();
  const say = useToast();
  return async (wanted, done) => {
    await api.PUT('/api/v1/organisations/{organisation}/kind-rules', {
      ...path(rules.organisation),
      body: { version: rules.version, rules: wanted },
    });
    for (const key of ['kind rules', 'unknown kinds', 'tasks', 'to dos', 'feed balances'])
      await queries.invalidateQueries({ queryKey: [key] });
    say(done);
  };
}

/** What a rule says that something is. */
export function kindWords({ meter, attributes, taken, unit, times }: KindRule): string {
  const said = [
    ...Object.entries(attributes ?? {}).map(([name, value]) => `${name} ${value}`),
    ...Object.entries(taken ?? {}).map(([name, source]) => `${name} as ${source} says`),
  ];
  const ways = [...(unit ? [`in ${formatUnit(unit, '2')}`] : []), ...(times ? [`times ${times}`] : [])];
  return [`${meter}${said.length ? ` with ${said.join(', ')}` : ''}`, ...ways].join(', ');
}

/** What was sent with something, with some of its values. */
export const sentWith = (attributes: Record<string, string[]>): string =>
  Object.entries(attributes)
    .map(([name, values]) => `${name} ${values.join(', ')}`)
    .join('; ');

/** Attributes as they are written, a line each: `size = large`, or `size from flavour`; null where one is none. */
export function attributesOf(text: string): Pick<KindRule, 'attributes' | 'taken'> | null {
  const attributes: Record<string, string> = {};
  const taken: Record<string, string> = {};
  for (const line of text.split('\n').filter((each) => each.trim())) {
    const [, name, way, value] = /^\s*([a-z0-9][\w-]*)\s*(=|\sfrom\s)\s*(\S.*?)\s*$/.exec(line) ?? [];
    if (name === undefined || value === undefined || name in attributes || name in taken) return null;
    (way === '=' ? attributes : taken)[name] = value;
  }
  return { attributes, taken };
}

/** The lines of attributes that are taken from others. */
export const takenLines = (taken: Record<string, string>): string =>
  Object.entries(taken)
    .map(([name, source]) => `${name} from ${source}`)
    .join('\n');

/** Conditions on what is sent with something, a line each: `class = fast, faster` or `gpu_count >= 1`. */
export function whereOf(text: string): Record<string, unknown> | null {
  const found: Record<string, unknown> = {};
  for (const line of text.split('\n').filter((each) => each.trim())) {
    const [, name, sign, said] = /^\s*(\S+?)\s*(>=|=)\s*(\S.*?)\s*$/.exec(line) ?? [];
    if (name === undefined || said === undefined || name in found) return null;
    found[name] = sign === '>=' ? { 'at-least': said } : valueOf(said);
  }
  return found;
}

/** A value, several with commas between, or with a star at its end all that begin so. */
export function valueOf(said: string): unknown {
  const values = said.split(',').map((each) => each.trim());
  if (values.length > 1) return values;
  return said.endsWith('*') ? { prefix: said.slice(0, -1) } : said;
}

/** What a change of rules does, a sentence each. */
export function kindMoveWords(preview: KindPreview): string[] {
  if (preview.from_day === null) return ['Nothing changes.'];
  const fixed = fixedWords(preview);
  if (!preview.moves.length) return ['Nothing that came in is of another kind by that.', ...fixed];
  const moves = preview.moves.map((each) => {
    const what = `${counted(each.readings, 'reading')} of ${counted(each.resources, 'resource')}, ${daysName(
      each.first_day,
      each.last_day,
    )}, sent as ${each.sent_meter}`;
    const sets = each.attributes.map(attributeWords).filter(Boolean).join(' or with ');
    const way =
      each.before === null && each.after === null
        ? 'still unknown'
        : `from ${each.before ?? 'unknown'} to ${each.after ?? 'unknown'}${sets && ` with ${sets}`}`;
    const total = each.quantity ? ` ${quantityIn(each.quantity.quantity, each.quantity.unit)}.` : '';
    return `${what}: ${way}.${each.why ? ` ${each.why}.` : total}`;
  });
  return [...moves, ...fixed];
}

const attributeWords = (attributes: Readonly<Record<string, string>>): string =>
  Object.entries(attributes)
    .map(([name, value]) => `${name} ${value}`)
    .join(', ');

/** What a reading would be, and why. */
export function triedWords(tried: Tried): string[] {
  const attributes = attributeWords(tried.attributes);
  const is = tried.quantity
    ? `It is ${tried.quantity.meter_name}${attributes ? ` with ${attributes}` : ''}: ${quantityIn(
        tried.quantity.quantity,
        tried.quantity.unit,
      )}.`
    : `It is of unknown kind: ${tried.why}.`;
  const [first, ...others] = tried.taken_by;
  const rules = first
    ? [
        `Rule ${first.name} counts, with ${counted(first.conditions, 'condition')}.`,
        ...others.map((each) => `Rule ${each.name} takes it too, and is less specific.`),
      ]
    : ['No rule takes it.'];
  const whose = tried.owner
    ? `It is ${tried.owner}’s, by rule ${tried.owner_rule}.`
    : 'It is nobody’s, where it names no owner.';
  return [is, ...rules, whose];
}
