/** One reading looked at: what it would be, whose, and by which rules. */
import { Alert, Box } from '@mui/material';
import { useState } from 'react';
import * as z from 'zod/mini';
import { DateInput } from '../shared/DateInput';
import { CheckInput, decimal, EntryDialog, TextInput, day, given } from '../shared/form';
import { type Tried, triedWords, tryReading, whereOf } from './kinds';

const schema = z.object({
  meter: given('The meter as it is sent'),
  quantity: decimal(),
  unit: given('The unit as it is sent'),
  feed: given('The feed that sends it'),
  account: z.string(),
  source: z.string(),
  resource: given('What it is of'),
  day: day('The day on which it starts'),
  held: z.boolean(),
  attributes: z.string().check(z.refine((text) => namesOf(text) !== null, 'A line each: a name = its value')),
});

/** What is sent with it, a line each. */
function namesOf(text: string): Record<string, string> | null {
  const found = whereOf(text);
  return found && Object.values(found).every((each) => typeof each === 'string')
    ? (found as Record<string, string>)
    : null;
}

export function TrialDialog(props: { organisation: string; day: string; onClose: () => void }) {
  const { organisation, day: first, onClose } = props;
  const [tried, setTried] = useState<Tried | null>(null);
  return (
    <EntryDialog
      title="Try a reading"
      act="Look"
      schema={schema}
      initial={{
        meter: '',
        quantity: '1',
        unit: '',
        feed: '',
        account: '',
        source: '',
        resource: '',
        day: first,
        held: false,
        attributes: '',
      }}
      save={async ({ day: on, account, source, attributes, ...rest }) =>
        setTried(
          await tryReading(organisation, {
            ...rest,
            account: account || null,
            source: source || '-',
            start: `${on}T00:00:00Z`,
            attributes: namesOf(attributes) ?? {},
          }),
        )
      }
      stays
      onClose={onClose}
    >
      <TextInput name="meter" label="Sent as" columns={3} />
      <TextInput name="quantity" label="Quantity" columns={1} />
      <TextInput name="unit" label="Unit" columns={2} />
      <TextInput name="feed" label="By feed" columns={2} />
      <TextInput name="account" label="Account" columns={2} optional />
      <TextInput name="source" label="Source" columns={2} optional />
      <TextInput name="resource" label="Resource" columns={4} />
      <DateInput name="day" label="On" columns={2} hint="UTC" />
      <TextInput name="attributes" label="With" optional lines={3} hint="A line each: a name = its value" />
      <CheckInput name="held" label="It holds until the next one says otherwise" />
      {tried && (
        <Alert
          severity={tried.meter ? 'success' : 'warning'}
          variant="outlined"
          sx={{ gridColumn: '1 / -1' }}
        >
          {triedWords(tried).map((sentence) => (
            <Box key={sentence} sx={{ overflowWrap: 'anywhere' }}>
              {sentence}
            </Box>
          ))}
        </Alert>
      )}
    </EntryDialog>
  );
}
