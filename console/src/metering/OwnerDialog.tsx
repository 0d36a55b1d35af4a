/** A rule that gives usage an owner, beside what it changes. */
import { useQuery } from '@tanstack/react-query';
import { useFormContext, useWatch } from 'react-hook-form';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import { metersOf, servicesOptions } from '../catalogue/catalogue';
import { CustomerPicker } from '../organisations/CustomerPicker';
import { projectsOptions } from '../organisations/organisations';
import { DateInput } from '../shared/DateInput';
import { EntryDialog, OwnInput, TextInput, day, given } from '../shared/form';
import { useSettled } from '../shared/settled';
import {
  billedOptions,
  billedWords,
  moveWords,
  pathsOf,
  previewOptions,
  sharesOf,
  tableOf,
  useSetRules,
  wholeOf,
  type Preview,
  type Rule,
  type Rules,
} from './ownership';
import { RuleChanges } from './RuleDialogs';
import { RulesTrial } from './RulesTrial';

export interface OwnerValues {
  name: string;
  customer: string;
  project: string;
  /** In place of one owner: a line each, organisation/project and a number. */
  shares: string;
  /** By usage of which meter it is divided, of which projects, of what whole; and who has what is left of that, or of
   * a hundred shares. */
  meter: string;
  divided: string;
  among: string;
  whole: string;
  remainder: string;
  /** The value of what says whose it is, and owners by value, a line each. */
  by: string;
  table: string;
  way: 'one' | 'several' | 'usage' | 'value';
  starts_on: string;
  account: string;
  resource: string;
  feed: string;
}

const common = {
  name: given('What the rule is called'),
  starts_on: day('The first day that it holds'),
  account: z.string(),
  resource: z.string(),
  feed: z.string(),
};
const unsaid = {
  customer: z.string(),
  project: z.string(),
  shares: z.string(),
  meter: z.string(),
  divided: z.string(),
  among: z.string(),
  whole: z.string(),
  remainder: z.string(),
  by: z.string(),
  table: z.string(),
};
const schema = z.discriminatedUnion('way', [
  z.object({
    ...common,
    ...unsaid,
    way: z.literal('one'),
    customer: given('Whose it is'),
    project: given('In which of its projects'),
  }),
  z.object({
    ...common,
    ...unsaid,
    way: z.literal('value'),
    by: given('The value of what says whose it is'),
    table: z
      .string()
      .check(z.refine((text) => tableOf(text) !== null, 'A line each: a value, and organisation/project')),
  }),
  z.object({ ...common, ...unsaid, way: z.literal('several') }).check(
    z.refine(
      ({ shares, remainder }) => Object.keys(sharesOf(shares) ?? {}).length >= (remainder.trim() ? 1 : 2),
      {
        error: 'At least two lines, or one and who has the rest: organisation/project and a number',
        path: ['shares'],
      },
    ),
  ),
  z.object({
    ...common,
    ...unsaid,
    way: z.literal('usage'),
    divided: given('The meter that is divided'),
    meter: given('The meter whose usage says who has how much'),
    among: z.string().check(z.refine((text) => pathsOf(text) !== null, 'Each is organisation/project')),
    whole: z
      .string()
      .check(z.refine((text) => !text.trim() || wholeOf(text) !== null, 'A number, and its unit after it')),
  }),
]);

/** By what usage it is divided. */
const usageOf = ({ meter, among, whole }: OwnerValues): Rule['by_usage'] => ({
  meter: meter.trim(),
  feeds: [],
  among: pathsOf(among) ?? [],
  whole: wholeOf(whole)?.whole ?? null,
  unit: wholeOf(whole)?.unit ?? null,
});

/** The rule of what is written; a text with a star at its end is a beginning. */
export function ruleOf(values: OwnerValues): Rule {
  const conditions: Rule['conditions'] = {};
  for (const key of ['feed', 'account', 'resource'] as const) {
    const said = values[key].trim();
    if (said) conditions[key] = said.endsWith('*') ? { prefix: said.slice(0, -1) } : said;
  }
  const divides = values.way === 'several' || values.way === 'usage';
  if (values.way === 'usage') conditions.meter = values.divided.trim();
  return {
    name: values.name.trim(),
    owner: values.way === 'one' ? `${values.customer}/${values.project}` : null,
    by_usage: values.way === 'usage' ? usageOf(values) : null,
    remainder: (divides && values.remainder.trim()) || null,
    shares: values.way === 'several' ? sharesOf(values.shares) : null,
    by: values.way === 'value' ? values.by.trim() : null,
    owners: values.way === 'value' && values.table.trim() ? tableOf(values.table) : null,
    starts_on: values.starts_on,
    ends_on: null,
    conditions,
  };
}

export function OwnerDialog(props: { rules: Rules; initial: OwnerValues; onClose: () => void }) {
  const { rules, initial, onClose } = props;
  const setRules = useSetRules(rules);
  const save = (values: OwnerValues) =>
    setRules(
      [...rules.rules, ruleOf(values)],
      'The rule is set. What it reaches is made again now; see Work in progress.',
    );
  return (
    <EntryDialog
      title="Give it an owner"
      act="Set the rule"
      schema={schema}
      initial={initial}
      save={save}
      onClose={onClose}
    >
      <Whose />
      <TextInput name="feed" label="Only of feed" columns={2} optional />
      <TextInput
        name="account"
        label="Only of account"
        columns={2}
        optional
        hint="A * at the end: all that begin so"
      />
      <TextInput name="resource" label="Only of resource" columns={2} optional />
      <TextInput name="name" label="The rule is called" />
      <Changes rules={rules} />
    </EntryDialog>
  );
}

const WAYS = [
  ['one', 'of one project'],
  ['several', 'of several, by shares'],
  ['usage', 'of several, by what each used'],
  ['value', 'of whom a value names'],
] as const;

/** Of one, divided among several, or of whom a value names. */
function Whose() {
  const way = useWatch<OwnerValues, 'way'>({ name: 'way' });
  return (
    <>
      <TextInput name="way" label="It is" options={WAYS} />
      {way === 'value' && (
        <>
          <TextInput
            name="by"
            label="The value of"
            columns={3}
            hint="account, source, resource, feed, or where.NAME of an attribute"
          />
          <TextInput
            name="table"
            label="Which value is whose"
            optional
            lines={4}
            hint="A line each: a value, and organisation/project; with none the value itself is organisation/project"
          />
        </>
      )}
      {way === 'several' && (
        <TextInput
          name="shares"
          label="Who has how much of it"
          hint="A line each: organisation/project and a number; each has its part in proportion to its number"
          lines={3}
        />
      )}
      {way === 'usage' && <ByUsage />}
      {(way === 'several' || way === 'usage') && (
        <TextInput
          name="remainder"
          label="Who has the rest"
          optional
          hint={way === 'several' ? REST_OF_SHARES : REST_OF_USAGE}
        />
      )}
      {way === 'one' && (
        <>
          <OwnInput<string> name="customer">
            {(value, onChange) => (
              <CustomerPicker label="It is of" value={value} onChange={onChange} everybody />
            )}
          </OwnInput>
          <Project />
        </>
      )}
      <DateInput
        name="starts_on"
        label="From"
        columns={way === 'one' ? 3 : 6}
        hint="The day on which it starts, UTC"
      />
    </>
  );
}

const REST_OF_SHARES = 'organisation/project; with it the numbers are parts of 100';
const REST_OF_USAGE =
  'organisation/project; of what all would come to, else of days on which nobody used any';

/** What is divided, and by what. */
function ByUsage() {
  const services = useQuery(servicesOptions);
  const meters = metersOf(services.data ?? []);
  return (
    <>
      <TextInput
        name="divided"
        label="Usage or cost that is divided"
        columns={3}
        options={meters}
        disabled={!meters.length}
      />
      <TextInput
        name="meter"
        label="By what each used of"
        columns={3}
        options={meters}
        disabled={!meters.length}
        hint="Each UTC day by itself, once it is over"
      />
      <TextInput
        name="among"
        label="Only among"
        columns={3}
        optional
        lines={2}
        hint="organisation/project, a line each; else all"
      />
      <TextInput
        name="whole"
        label="All would come to"
        columns={3}
        optional
        hint="As 64 vCPU, or 2 TiB: what is not used of it is the rest"
      />
    </>
  );
}

/** One of the projects of whose it is. */
function Project() {
  const customer = useWatch<OwnerValues, 'customer'>({ name: 'customer' });
  const projects = useQuery({ ...projectsOptions(customer), enabled: customer !== '' });
  const options = (projects.data ?? []).map((each) => [each.slug, each.name] as const);
  return (
    <TextInput
      name="project"
      label="Project"
      columns={3}
      options={options}
      disabled={!options.length}
      hint={customer && projects.isSuccess && !options.length ? 'It has no project yet' : ''}
    />
  );
}

/** What the rule would change, once enough of it is written. */
function Changes({ rules }: { rules: Rules }) {
  const { control } = useFormContext<OwnerValues>();
  const typed = JSON.parse(useSettled(JSON.stringify(useWatch({ control })))) as OwnerValues;
  const limited = typed.way === 'value' || Object.keys(ruleOf(typed).conditions).length > 0;
  const ready = schema.safeParse(typed).success && limited;
  const wanted = ready ? [...rules.rules, ruleOf(typed)] : [];
  const preview = useQuery({ ...previewOptions(rules.organisation, wanted), enabled: ready });
  const { may } = useSignedIn();
  const billed = useQuery({
    ...billedOptions(rules.organisation, preview.data),
    ...(may('read money') ? {} : { enabled: false }),
  });
  const words = (found: Preview) => [
    ...moveWords(found),
    ...billedWords(billed.data ?? []),
    ...(billed.isError ? [`Which months are billed cannot be told: ${billed.error.message}`] : []),
  ];
  if (!ready) return null;
  return (
    <>
      <RuleChanges preview={preview} words={words} />
      <RulesTrial
        key={JSON.stringify(wanted)}
        organisation={rules.organisation}
        rules={wanted}
        preview={preview.data}
      />
    </>
  );
}
