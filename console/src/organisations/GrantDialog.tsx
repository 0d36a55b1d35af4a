/** Sets a limit of an organisation or a project, with the giver's figures beside it and the refusal where it belongs. */
import { Box } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useWatch } from 'react-hook-form';
import * as z from 'zod/mini';
import { api, body, type Schemas } from '../shared/api';
import { compare, formatQuantity, subtract, sum } from '../shared/decimal';
import { CheckInput, EntryDialog, TextInput, decimal, optionalDecimal } from '../shared/form';
import { formatUnit } from '../shared/units';
import { useToast } from '../shared/Toasts';
import { type Organisation, type Project, type Quota, measureName, quotasOptions } from './organisations';

const soft = {
  soft: optionalDecimal,
  grace_days: z.string().check(z.trim(), z.regex(/^\d{0,3}$/, 'Days, from 0 to 366')),
};
const limited = z.object({ unlimited: z.literal(false), limit: decimal(), ...soft });
const unlimited = z.object({ unlimited: z.literal(true), limit: z.string(), ...soft });
const schema = z.discriminatedUnion('unlimited', [limited, unlimited]);
type Values = z.infer<typeof schema>;
type SoftLimit = Schemas['SoftLimit'];

const softOf = (limit: string | null, days: number): SoftLimit => ({
  limit,
  grace_days: limit === null ? 0 : days,
});

interface Props {
  /** What the holder has now; null of a project that has none of its own. */
  quota: Pick<
    Quota,
    | 'measure'
    | 'unit'
    | 'kind'
    | 'limit'
    | 'granted'
    | 'reservation'
    | 'soft_limit'
    | 'grace_days'
    | 'version'
  >;
  holder: Organisation;
  project?: Project;
  /** All of the holder's, where it is a limit of one of them. */
  projects?: Project[];
  giver: Organisation | null;
  onClose: () => void;
}

/** Who gives a project its limit: the nearest above it that has one, or the organisation. */
function giving(quotas: Quota[], projects: Project[], measure: string, project?: Project): Quota | undefined {
  const of = (slug: string | null) =>
    quotas.find((each) => each.measure === measure && each.project === slug);
  for (let above = project?.parent ?? null; above !== null;) {
    const held = of(above);
    if (held && held.limit !== null) return held;
    above = projects.find((each) => each.slug === above)?.parent ?? null;
  }
  return of(null);
}

export function GrantDialog({ quota, holder, project, projects = [], giver, onClose }: Props) {
  const queries = useQueryClient();
  const name = project?.name ?? holder.name;
  const given = useQuery({ ...quotasOptions(giver?.slug ?? ''), enabled: giver !== null });
  const held = giving(given.data ?? [], projects, quota.measure, project);
  const from = projects.find((each) => each.slug === held?.project)?.name ?? giver?.name;
  const say = useToast();
  // What is counted never exceeds its limit.
  const metered = quota.kind !== 'count';
  const path = { organisation: holder.slug, measure: quota.measure };
  const put = async (limit: string | null, soft: SoftLimit | null, version: number) =>
    body(
      project
        ? await api.PUT('/api/v1/organisations/{organisation}/projects/{project}/quotas/{measure}', {
            params: { path: { ...path, project: project.slug } },
            body: { limit, soft, version },
          })
        : await api.PUT('/api/v1/organisations/{organisation}/quotas/{measure}', {
            params: { path },
            body: { limit, soft, version },
          }),
    );
  const save = async (values: Values) => {
    const set = await put(
      values.unlimited ? null : values.limit,
      metered ? softOf(values.soft || null, Number(values.grace_days)) : null,
      quota.version,
    );
    await queries.invalidateQueries({ queryKey: ['quotas'] });
    const now =
      set.limit === null
        ? 'no limit'
        : `a limit of ${formatQuantity(set.limit)} ${formatUnit(quota.unit, set.limit)}`;
    say(
      `${name} has ${now} of ${measureName(quota.measure).toLowerCase()} now.`,
      // A project that had none of its own cannot be given that back.
      project && quota.version === 0
        ? undefined
        : () =>
            put(quota.limit, metered ? softOf(quota.soft_limit, quota.grace_days ?? 0) : null, set.version),
    );
  };
  const own = { soft: quota.soft_limit ?? '', grace_days: String(quota.grace_days ?? '') };
  const initial: Values =
    quota.limit === null
      ? { unlimited: true, limit: '', ...own }
      : { unlimited: false, limit: quota.limit, ...own };
  return (
    <EntryDialog
      title={`${measureName(quota.measure, quota.kind)} of ${name}`}
      act="Set the limit"
      schema={schema}
      initial={initial}
      save={save}
      onClose={onClose}
    >
      <Box sx={{ fontSize: '0.86rem', color: 'text.secondary', gridColumn: '1 / -1' }}>
        {from && held && <Giver from={from} held={held} had={quota.limit ?? '0'} name={name} />}
        {compare(sum([quota.granted, quota.reservation]), '0') > 0 && (
          <Box>
            {name} has passed on or reserved {formatQuantity(sum([quota.granted, quota.reservation]))}{' '}
            {formatUnit(quota.unit, '0')}.
          </Box>
        )}
      </Box>
      <Limit unit={formatUnit(quota.unit, '0')} />
      <CheckInput name="unlimited" label="No limit" />
      {metered && (
        <>
          <TextInput
            name="soft"
            label="Soft limit"
            unit={formatUnit(quota.unit, '0')}
            hint="Use above it is told, and may be for some days"
            columns={4}
            optional
          />
          <TextInput name="grace_days" label="Days of grace" columns={2} optional />
        </>
      )}
    </EntryDialog>
  );
}

function Giver({ from, held, had, name }: { from: string; held: Quota; had: string; name: string }) {
  if (held.left === null) return <Box>{from} has no limit.</Box>;
  // What is over-committed leaves less than nothing; that is said as it is.
  const over = compare(held.left, '0') < 0;
  return (
    <Box>
      {from} has{' '}
      {over
        ? `passed on ${formatQuantity(subtract('0', held.left))} ${formatUnit(held.unit, '0')} more than its limit`
        : `${formatQuantity(held.left)} ${formatUnit(held.unit, held.left)} left to give`}
      {held.limit !== null && ` of ${formatQuantity(held.limit)}`}, so {name} can have up to{' '}
      {formatQuantity(compare(sum([held.left, had]), '0') > 0 ? sum([held.left, had]) : '0')}.
    </Box>
  );
}

function Limit({ unit }: { unit: string }) {
  const unlimited = useWatch({ name: 'unlimited' }) as boolean;
  return <TextInput name="limit" label="Limit" unit={unit} disabled={unlimited} optional={unlimited} />;
}
