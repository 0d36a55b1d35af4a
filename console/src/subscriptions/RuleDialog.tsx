/** Which usage falls to which subscription: a rule with conditions, from a day on. */
import { useQuery, useQueryClient } from '@tanstack/react-query';
import * as z from 'zod/mini';
import { type ServiceForm, type Where, servicesOptions } from '../catalogue/catalogue';
import { Row } from '../catalogue/fields';
import { textOf } from '../catalogue/rates';
import { ConditionEditor, WhereEditor } from '../catalogue/WhereEditor';
import { projectsOptions } from '../organisations/organisations';
import { api } from '../shared/api';
import { addDays } from '../shared/dates';
import { DateInput } from '../shared/DateInput';
import {
  EntryDialog,
  OwnInput,
  Remark,
  TextInput,
  day,
  given,
  optionalDay,
  slug,
  whole,
} from '../shared/form';
import { useToast } from '../shared/Toasts';
import type { AssignmentRule, Subscription } from './subscriptions';

interface Props {
  organisation: string;
  subscriptions: Subscription[];
  rule: AssignmentRule | null;
  today: string;
  onClose: () => void;
}

const condition = z.custom<Where>();
const schema = z
  .object({
    slug,
    subscription: given('The subscription to which the usage belongs'),
    position: whole,
    starts_on: day('The day from which it holds'),
    last_day: optionalDay,
    service: z.string(),
    project: z.string(),
    resource: condition,
    where: z.record(z.string(), condition),
  })
  .check(
    z.refine(({ last_day, starts_on }) => !last_day || last_day >= starts_on, {
      path: ['last_day'],
      error: 'Not before the day from which it holds',
    }),
  );
type Values = z.infer<typeof schema>;

export function RuleDialog({ organisation, subscriptions, rule, today, onClose }: Props) {
  const queries = useQueryClient();
  const services = useQuery(servicesOptions);
  const projects = useQuery(projectsOptions(organisation));
  const before = (rule?.conditions ?? {}) as Record<string, unknown>;
  const say = useToast();
  const path = (name: string) => ({ params: { path: { organisation, slug: name } } });
  const initial: Values = {
    slug: rule?.slug ?? '',
    subscription: rule?.subscription ?? subscriptions[0]?.name ?? '',
    position: String(rule?.position ?? 100),
    starts_on: rule?.starts_on ?? today,
    last_day: rule?.ends_on ? addDays(rule.ends_on, -1) : '',
    service: String(before.service ?? ''),
    project: String(before.project ?? ''),
    resource: (before.resource ?? '') as Where,
    where: (before.where ?? {}) as Record<string, Where>,
  };
  const save = async (values: Values) => {
    const { service, project, resource, where } = values;
    await api.PUT('/api/v1/organisations/{organisation}/assignment-rules/{slug}', {
      ...path(values.slug),
      body: {
        subscription: values.subscription,
        position: Number(values.position),
        starts_on: values.starts_on,
        ends_on: values.last_day ? addDays(values.last_day, 1) : null,
        conditions: {
          ...(service && { service }),
          ...(project && { project }),
          ...(textOf(resource) && { resource }),
          ...(Object.keys(where).length && { where }),
        },
      },
    });
    await queries.invalidateQueries();
  };
  const remove = async () => {
    await api.DELETE('/api/v1/organisations/{organisation}/assignment-rules/{slug}', path(rule?.slug ?? ''));
    await queries.invalidateQueries();
    say(`Rule ${rule?.slug} is gone.`, () => save(initial));
  };
  return (
    <EntryDialog
      title={rule ? `Rule ${rule.slug}` : 'Which usage belongs to a subscription'}
      act="Save"
      schema={schema}
      initial={initial}
      save={save}
      other={rule ? { act: 'Delete it', run: remove } : undefined}
      onClose={onClose}
    >
      {!rule && <TextInput name="slug" label="Rule" columns={2} />}
      <TextInput
        name="subscription"
        label="Belongs to"
        columns={rule ? 4 : 2}
        options={subscriptions.map((each) => [each.name, each.name] as const)}
      />
      <TextInput name="position" label="Order, 1 is first" columns={2} />
      <DateInput name="starts_on" label="From" columns={3} />
      <DateInput name="last_day" label="Last day" columns={3} optional />
      <TextInput
        name="service"
        label="Service"
        columns={3}
        optional
        options={[
          ['', 'any'],
          ...(services.data ?? []).map((each) => [each.slug, (each.form as ServiceForm).name] as const),
        ]}
      />
      <TextInput
        name="project"
        label="Project"
        columns={3}
        optional
        options={[['', 'any'], ...(projects.data ?? []).map((each) => [each.slug, each.name] as const)]}
      />
      <OwnInput<Where> name="resource">
        {(value, onChange) => (
          <Row>
            <ConditionEditor compared="The resource is" label="Resource" value={value} onChange={onChange} />
          </Row>
        )}
      </OwnInput>
      <OwnInput<Record<string, Where>> name="where">
        {(value, onChange) => (
          <Row>
            <WhereEditor value={value} onChange={onChange} />
          </Row>
        )}
      </OwnInput>
      <Remark>
        Without a rule, usage falls to the subscription of its project, then to the oldest. What is billed is
        settled on the next document.
      </Remark>
    </EntryDialog>
  );
}
