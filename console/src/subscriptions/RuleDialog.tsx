/** Which usage falls to which subscription: a rule with conditions, from a day on. */
import { Box } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { type ServiceForm, type Where, servicesOptions } from '../catalogue/catalogue';
import { Line, Row, Select } from '../catalogue/fields';
import { textOf } from '../catalogue/rates';
import { ConditionEditor, WhereEditor } from '../catalogue/WhereEditor';
import { projectsOptions } from '../organisations/organisations';
import { api, body } from '../shared/api';
import { addDays } from '../shared/dates';
import { DayPicker, UNFINISHED } from '../shared/DateInput';
import { FormDialog } from '../shared/FormDialog';
import { type AssignmentRule, type Subscription, useSubscriptionChange } from './subscriptions';

interface Props {
  organisation: string;
  subscriptions: Subscription[];
  rule: AssignmentRule | null;
  today: string;
  onClose: () => void;
}

export function RuleDialog({ organisation, subscriptions, rule, today, onClose }: Props) {
  const services = useQuery(servicesOptions);
  const projects = useQuery(projectsOptions(organisation));
  const before = (rule?.conditions ?? {}) as Record<string, unknown>;
  const [slug, setSlug] = useState(rule?.slug ?? '');
  const [subscription, setSubscription] = useState(rule?.subscription ?? subscriptions[0]?.name ?? '');
  const [position, setPosition] = useState(String(rule?.position ?? 100));
  const [from, setFrom] = useState(rule?.starts_on ?? today);
  const [until, setUntil] = useState(rule?.ends_on ? addDays(rule.ends_on, -1) : '');
  const [service, setService] = useState(String(before.service ?? ''));
  const [project, setProject] = useState(String(before.project ?? ''));
  const [resource, setResource] = useState<Where>((before.resource ?? '') as Where);
  const [where, setWhere] = useState((before.where ?? {}) as Record<string, Where>);
  const keep = useSubscriptionChange(
    async () =>
      body(
        await api.PUT('/api/v1/organisations/{organisation}/assignment-rules/{slug}', {
          params: { path: { organisation, slug } },
          body: {
            subscription,
            position: Number(position),
            starts_on: from,
            ends_on: until ? addDays(until, 1) : null,
            conditions: {
              ...(service && { service }),
              ...(project && { project }),
              ...(textOf(resource) && { resource }),
              ...(Object.keys(where).length && { where }),
            },
          },
        }),
      ),
    onClose,
  );
  const remove = useSubscriptionChange(
    async () =>
      api.DELETE('/api/v1/organisations/{organisation}/assignment-rules/{slug}', {
        params: { path: { organisation, slug } },
      }),
    onClose,
  );
  return (
    <FormDialog
      title={rule ? `Rule ${rule.slug}` : 'Which usage belongs to a subscription'}
      act="Save"
      change={keep}
      ready={Boolean(slug && subscription) && ![from, until].includes(UNFINISHED)}
      other={rule ? { act: 'Delete it', change: remove } : undefined}
      onClose={onClose}
    >
      <Row>
        {!rule && <Line label="Rule" value={slug} onChange={setSlug} width={150} />}
        <Select
          label="Belongs to"
          value={subscription}
          width={220}
          options={subscriptions.map((each) => each.name)}
          onChange={setSubscription}
        />
        <Line label="Order, 1 is first" value={position} onChange={setPosition} width={150} />
      </Row>
      <Row>
        <DayPicker label="From" value={from} onChange={setFrom} width={175} />
        <DayPicker label="Last day" value={until} onChange={setUntil} width={175} optional />
      </Row>
      <Row>
        <Select
          label="Service"
          value={service}
          width={170}
          onChange={setService}
          options={[
            ['', 'any'],
            ...(services.data ?? []).map((each) => [each.slug, (each.form as ServiceForm).name] as const),
          ]}
        />
        <Select
          label="Project"
          value={project}
          width={170}
          onChange={setProject}
          options={[['', 'any'], ...(projects.data ?? []).map((each) => [each.slug, each.name] as const)]}
        />
      </Row>
      <Row>
        <ConditionEditor
          compared="The resource is"
          label="Resource"
          value={resource}
          onChange={setResource}
        />
      </Row>
      <Row>
        <WhereEditor value={where} onChange={setWhere} />
      </Row>
      <Box sx={{ fontSize: '0.84rem', color: 'text.secondary' }}>
        Without a rule, usage falls to the subscription of its project, then to the oldest. What is billed is
        settled on the next document.
      </Box>
    </FormDialog>
  );
}
