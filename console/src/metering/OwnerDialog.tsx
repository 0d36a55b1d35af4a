/** A rule that gives usage an owner, beside what it changes. */
import { Alert, Box } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useFormContext, useWatch } from 'react-hook-form';
import * as z from 'zod/mini';
import { CustomerPicker } from '../organisations/CustomerPicker';
import { projectsOptions } from '../organisations/organisations';
import { DateInput } from '../shared/DateInput';
import { CheckInput, EntryDialog, OwnInput, TextInput, day, given } from '../shared/form';
import { useSettled } from '../shared/settled';
import { moveWords, previewOptions, sharesOf, useSetRules, type Rule, type Rules } from './ownership';

export interface OwnerValues {
  name: string;
  customer: string;
  project: string;
  /** In place of one owner: a line each, organisation/project and a number. */
  shares: string;
  divided: boolean;
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
const schema = z.discriminatedUnion('divided', [
  z.object({
    ...common,
    divided: z.literal(false),
    customer: given('Whose it is'),
    project: given('In which of its projects'),
    shares: z.string(),
  }),
  z.object({
    ...common,
    divided: z.literal(true),
    customer: z.string(),
    project: z.string(),
    shares: z
      .string()
      .check(
        z.refine(
          (text) => Object.keys(sharesOf(text) ?? {}).length > 1,
          'At least two lines: organisation/project and a number',
        ),
      ),
  }),
]);

/** The rule of what is written; a text with a star at its end is a beginning. */
export function ruleOf(values: OwnerValues): Rule {
  const conditions: Rule['conditions'] = {};
  for (const key of ['feed', 'account', 'resource'] as const) {
    const said = values[key].trim();
    if (said) conditions[key] = said.endsWith('*') ? { prefix: said.slice(0, -1) } : said;
  }
  return {
    name: values.name.trim(),
    owner: values.divided ? null : `${values.customer}/${values.project}`,
    shares: values.divided ? sharesOf(values.shares) : null,
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

/** Of one, or divided among several. */
function Whose() {
  const divided = useWatch<OwnerValues, 'divided'>({ name: 'divided' });
  return (
    <>
      <CheckInput name="divided" label="Several share it" />
      {divided ? (
        <TextInput
          name="shares"
          label="Who has how much of it"
          hint="A line each: organisation/project and a number; each has its part in proportion to its number"
          lines={3}
        />
      ) : (
        <>
          <OwnInput<string> name="customer">
            {(value, onChange) => <CustomerPicker label="It is of" value={value} onChange={onChange} />}
          </OwnInput>
          <Project />
        </>
      )}
      <DateInput
        name="starts_on"
        label="From"
        columns={divided ? 6 : 3}
        hint="The day on which it starts, UTC"
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
  const ready = schema.safeParse(typed).success && Object.keys(ruleOf(typed).conditions).length > 0;
  const preview = useQuery({
    ...previewOptions(rules.organisation, ready ? [...rules.rules, ruleOf(typed)] : []),
    enabled: ready,
  });
  if (!ready) return null;
  return (
    <Alert
      severity={preview.isError ? 'error' : 'info'}
      variant="outlined"
      aria-busy={preview.isFetching}
      sx={{ gridColumn: '1 / -1' }}
    >
      {preview.isError && preview.error.message}
      {preview.data &&
        moveWords(preview.data).map((sentence) => (
          <Box key={sentence} sx={{ overflowWrap: 'anywhere' }}>
            {sentence}
          </Box>
        ))}
      {preview.data?.more && <Box>Only what came in the last three months was looked at.</Box>}
    </Alert>
  );
}
