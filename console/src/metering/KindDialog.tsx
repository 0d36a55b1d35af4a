/** A rule that says of which meter something is, beside what it changes. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useFormContext, useWatch } from 'react-hook-form';
import * as z from 'zod/mini';
import { metersOf, servicesOptions } from '../catalogue/catalogue';
import { DateInput } from '../shared/DateInput';
import { EntryDialog, TextInput, day, given } from '../shared/form';
import { useSettled } from '../shared/settled';
import {
  attributesOf,
  kindMoveWords,
  kindPreviewOptions,
  type KindRule,
  type KindRules,
  useSetKindRules,
  valueOf,
  whereOf,
} from './kinds';
import { RuleChanges } from './RuleDialogs';

export interface KindValues {
  name: string;
  meter: string;
  attributes: string;
  read_as: string;
  times: string;
  starts_on: string;
  /** Of what it is the rule: as it was sent. */
  sent: string;
  unit: string;
  feed: string;
  account: string;
  resource: string;
  where: string;
}

const lines = (wrong: string, read: (text: string) => unknown) =>
  z.string().check(z.refine((text) => read(text) !== null, wrong));
const schema = z.object({
  name: given('What the rule is called'),
  meter: given('Which meter it is'),
  attributes: lines('A line each: size = large, or size from flavour', attributesOf),
  read_as: z.string(),
  times: z.string(),
  starts_on: day('The first day that it holds'),
  sent: z.string(),
  unit: z.string(),
  feed: z.string(),
  account: z.string(),
  resource: z.string(),
  where: lines('A line each: class = fast, faster, or gpu_count >= 1', whereOf),
});

/** The rule of what is written. */
export function kindRuleOf(values: KindValues): KindRule {
  const conditions: KindRule['conditions'] = {};
  const { feed, account, unit, resource } = values;
  const facts = { feed, account, meter: values.sent, unit, resource };
  for (const [key, typed] of Object.entries(facts)) {
    const said = typed.trim();
    if (said) conditions[key] = valueOf(said) as string;
  }
  const where = whereOf(values.where) ?? {};
  if (Object.keys(where).length) conditions.where = where as Record<string, never>;
  return {
    name: values.name.trim(),
    meter: values.meter,
    attributes: {},
    taken: {},
    ...attributesOf(values.attributes),
    unit: values.read_as.trim() || null,
    times: values.times.trim() || null,
    starts_on: values.starts_on,
    ends_on: null,
    conditions,
  };
}

export function KindDialog(props: { rules: KindRules; initial: KindValues; onClose: () => void }) {
  const { initial, onClose } = props;
  // Those that were read when it opened: once it has set its own, they have another beside them already.
  const [rules] = useState(props.rules);
  const services = useQuery(servicesOptions);
  const setRules = useSetKindRules(rules);
  const save = (values: KindValues) =>
    setRules(
      [...rules.rules, kindRuleOf(values)],
      'The rule is set. What it reaches is read anew now; see Work in progress.',
    );
  return (
    <EntryDialog
      title="Say what it is"
      act="Set the rule"
      schema={schema}
      initial={initial}
      save={save}
      onClose={onClose}
    >
      <TextInput
        name="sent"
        label="What is sent as"
        columns={3}
        optional
        hint="A * at the end: all that begin so"
      />
      <TextInput name="unit" label="In the unit" columns={3} optional hint="As it is sent" />
      <TextInput
        name="where"
        label="With"
        optional
        lines={2}
        hint="A line each: class = fast, faster, or gpu_count >= 1"
      />
      <TextInput name="feed" label="Only of feed" columns={2} optional />
      <TextInput name="account" label="Only of account" columns={2} optional />
      <TextInput name="resource" label="Only of resource" columns={2} optional />
      <TextInput name="meter" label="Is" columns={4} options={metersOf(services.data ?? [])} />
      <DateInput name="starts_on" label="From" columns={2} hint="UTC" />
      <TextInput
        name="attributes"
        label="With the attributes"
        optional
        lines={2}
        hint="A line each: size = large, or size from flavour; what is sent under its own name is taken over"
      />
      <TextInput
        name="read_as"
        label="Read as"
        columns={3}
        optional
        hint="Its unit, where the one sent is none here"
      />
      <TextInput name="times" label="Times" columns={3} optional hint="A number that is sent with it" />
      <TextInput name="name" label="The rule is called" />
      <Changes rules={rules} />
    </EntryDialog>
  );
}

/** What the rule would change, once enough of it is written. */
function Changes({ rules }: { rules: KindRules }) {
  const { control } = useFormContext<KindValues>();
  const typed = JSON.parse(useSettled(JSON.stringify(useWatch({ control })))) as KindValues;
  const ready = schema.safeParse(typed).success && Object.keys(kindRuleOf(typed).conditions).length > 0;
  const preview = useQuery({
    ...kindPreviewOptions(rules.organisation, ready ? [...rules.rules, kindRuleOf(typed)] : []),
    enabled: ready,
  });
  return ready ? <RuleChanges preview={preview} words={kindMoveWords} /> : null;
}
