/** Whose usage is that names no owner: what is nobody's, and the rules that give it one. */
import { queryOptions, useQueryClient } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import { againWhileWaiting } from '../shared/current';
import { formatCount, formatMoney } from '../shared/decimal';
import { daysName, periodName } from '../shared/dates';
import { useToast } from '../shared/Toasts';
import { counted, quantityIn } from '../shared/units';

export type Rule = Schemas['OwnershipRuleForm-Output'];
export type Rules = Schemas['OwnershipRulesBody'];
export type Balance = Schemas['UsageBalanceBody'];
export type Nobodys = Schemas['UnownedUsageBody'];
export type Preview = Schemas['OwnershipPreviewBody'];
type Quantity = Schemas['QuantityBody'];
type Condition = string | string[] | Record<string, string | boolean>;
type Together = Record<string, Condition> & { where?: Record<string, Condition> };

/** Shares as they are written, a line each; null where one is none. */
export function sharesOf(text: string): Record<string, string> | null {
  const found: Record<string, string> = {};
  for (const line of text.split('\n').filter((each) => each.trim())) {
    const [, path, number] = /^\s*(\S+\/\S+)\s+(\d+(?:\.\d+)?)\s*$/.exec(line) ?? [];
    if (path === undefined || number === undefined || path in found) return null;
    found[path] = number;
  }
  return found;
}

/** Owners by value as they are written, a line each: the last word is the owner; null where a line is none. */
export function tableOf(text: string): Record<string, string> | null {
  const found: Record<string, string> = {};
  for (const line of text.split('\n').filter((each) => each.trim())) {
    const [, value, path] = /^\s*(\S.*?)[\s,;]+([a-z0-9-]+\/[a-z0-9-]+)\s*$/.exec(line) ?? [];
    if (value === undefined || path === undefined || value in found) return null;
    found[value] = path;
  }
  return found;
}

/** Whose what a rule takes is: where it is divided, with the share of each; where a value says so, which. */
export const ownerWords = ({ owner, shares, by, owners, by_usage: usage, remainder }: Rule): string => {
  if (by)
    return `whom ${by} names${owners ? `, of ${formatCount(Object.keys(owners).length)} in a table` : ''}`;
  const rest = remainder ? `, the rest ${remainder}` : '';
  if (usage) {
    const who = usage.among.length ? `${usage.among.join(', ')} by what each` : 'each by what it';
    return `${who} used of ${usage.meter}${rest}`;
  }
  const parts = Object.entries(shares ?? {}).map(([path, share]) => `${path} (${share})`);
  return owner ?? parts.join(', ') + rest;
};

/** A quantity and its unit as they are written together; null where that is none. */
export function wholeOf(text: string): { whole: string; unit: string | null } | null {
  const [, whole, unit] = /^\s*(\d+(?:\.\d+)?)(?:\s+(\S+))?\s*$/.exec(text) ?? [];
  return whole === undefined ? null : { whole, unit: unit ?? null };
}

/** Projects as they are written, a line each, or several with commas between; null where one is none. */
export function pathsOf(text: string): string[] | null {
  const found = text.split(/[\s,]+/).filter(Boolean);
  return found.every((each) => /^[^/]+\/[^/]+$/.test(each)) ? found : null;
}

export const rulesOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['ownership rules', organisation],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/ownership-rules', {
          params: { path: { organisation } },
        }),
      ),
  });

export const unownedOptions = (organisation: string, period: string) =>
  queryOptions({
    queryKey: ['unowned usage', organisation, period],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/unowned-usage', {
          params: { path: { organisation }, query: { period } },
        }),
      ),
    refetchInterval: (query) => (query.state.data?.waiting ? 2_000 : false),
  });

/** What became of what a seller's customers used in a month. */
export const balancesOptions = (organisation: string, period: string) =>
  queryOptions({
    queryKey: ['usage balances', organisation, period],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/usage-balances', {
          params: { path: { organisation }, query: { period } },
        }),
      ),
    refetchInterval: againWhileWaiting,
  });

/** What rules would change; asked anew for others. */
export const previewOptions = (organisation: string, rules: Rule[]) =>
  queryOptions({
    queryKey: ['ownership preview', organisation, JSON.stringify(rules)],
    queryFn: async () =>
      body(
        await api.POST('/api/v1/organisations/{organisation}/ownership-rules/preview', {
          params: { path: { organisation } },
          body: { rules },
        }),
      ),
    retry: false,
  });

/** The months that are billed already of those whom a change of rules reaches. */
export const billedOptions = (organisation: string, preview: Preview | undefined) => {
  const used_by = preview?.organisations ?? [];
  const days = preview?.moves.map((each) => each.first_day) ?? [];
  // Where not all was looked at, it may reach back as far as the rules differ.
  const since = (preview?.more ? preview.from_day : days.sort()[0]) ?? null;
  return queryOptions({
    queryKey: ['billed months', organisation, since, used_by],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/billed-months', {
          params: { path: { organisation }, query: { since: since ?? '', used_by } },
        }),
      ).items,
    enabled: since !== null && used_by.length > 0,
    retry: false,
  });
};

/** What a change that reaches months that are billed settles anew. */
export const billedWords = (billed: readonly Schemas['BilledMonthBody'][]): string[] =>
  billed.map(
    (each) =>
      `${periodName(each.period)} is billed to ${each.buyer_name}, ${formatMoney(each.billed, each.currency)} ${each.currency}: what differs is settled on its next document.`,
  );

/** Sets others in the place of rules, says so, and shows what is different by that. */
export function useSetRules(rules: Rules): (wanted: Rule[], done: string) => Promise<void> {
  const queries = useQueryClient();
  const say = useToast();
  return async (wanted, done) => {
    const { queryKey } = previewOptions(rules.organisation, wanted);
    const seen = queries.getQueryData(queryKey)?.seen ?? null;
    try {
      await api.PUT('/api/v1/organisations/{organisation}/ownership-rules', {
        params: { path: { organisation: rules.organisation } },
        body: { version: rules.version, rules: wanted, seen },
      });
    } catch (problem) {
      // What came in meanwhile is shown before it is set.
      await queries.invalidateQueries({ queryKey });
      throw problem;
    }
    for (const key of ['ownership rules', 'unowned usage', 'imported costs', 'tasks', 'to dos'])
      await queries.invalidateQueries({ queryKey: [key] });
    say(done);
  };
}

const SAID: Record<string, string> = {
  prefix: 'beginning with',
  contains: 'containing',
  pattern: 'like',
  'at-least': 'at least',
};

const saidOf = (condition: Condition): string => {
  if (typeof condition === 'string') return condition;
  if (Array.isArray(condition)) return condition.join(' or ');
  const [kind = '', said = ''] = Object.entries(condition)[0] ?? [];
  if (kind === 'present') return said ? 'said' : 'not said';
  return `${SAID[kind] ?? kind} ${said}`;
};

const wordsOf = ({ where, ...facts }: Together): string[] =>
  Object.entries({ ...facts, ...where }).map(([name, each]) => `${name} ${saidOf(each)}`);

/** Conditions that hold together, as a part of others. */
const together = (conditions: Together): string => {
  const said = wordsOf(conditions);
  return said.length === 1 ? (said[0] ?? '') : `(${said.join(' and ')})`;
};

/** The conditions of a rule in words. */
export function conditionWords(conditions: Rule['conditions']): string {
  const { any, none, ...all } = conditions as unknown as { any?: Together[]; none?: Together[] };
  return [
    ...wordsOf(all as Together),
    ...(any ? [any.map(together).join(' or ')] : []),
    ...(none ?? []).map((each) => `not ${together(each)}`),
  ].join(', ');
}

/** Usage by meter. */
export const quantityWords = (quantities: readonly Quantity[]): string =>
  quantities.map((each) => `${each.meter_name} ${quantityIn(each.quantity, each.unit)}`).join('; ');

/** Costs by currency. */
export const costWords = (costs: Nobodys['costs']): string =>
  costs.map(({ billed, currency }) => `${formatMoney(billed, currency)} ${currency}`).join(' and ');

/** What a change of rules does, a sentence each. */
export function moveWords(preview: Preview): string[] {
  if (preview.from_day === null) return ['Nothing changes.'];
  const fixed = fixedWords(preview);
  if (!preview.moves.length) return ['Nothing that came in becomes anybody else’s by that.', ...fixed];
  const moves = preview.moves.map((each) => {
    const days = daysName(each.first_day, each.last_day);
    const costs = costWords(each.costs);
    const came = [
      ...(each.readings || !costs ? [counted(each.readings, 'reading')] : []),
      ...(costs ? [`costs of ${costs}`] : []),
    ];
    const what = `${came.join(' and ')} of ${counted(each.resources, 'resource')}, ${days}`;
    return `${what}: from ${each.before ?? 'nobody'} to ${each.after ?? 'nobody'}. ${quantityWords(each.quantities)}`;
  });
  return [...moves, ...fixed];
}

/** That what was measured long ago stays, where a change reaches so far. */
export function fixedWords(preview: { from_day: string | null; fixed_before: string | null }): string[] {
  const { from_day: from, fixed_before: before } = preview;
  return from !== null && before !== null && from < before
    ? [`What was measured before ${periodName(before.slice(0, 7))} is archived, and stays as it is.`]
    : [];
}
