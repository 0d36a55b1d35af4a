/** Brings an organisation into another state: what it would mean is read before it is done. */
import { Alert, Box, FormControlLabel, Radio, RadioGroup } from '@mui/material';
import { useQueryClient } from '@tanstack/react-query';
import { useWatch } from 'react-hook-form';
import * as z from 'zod/mini';
import { api, body } from '../shared/api';
import { DateInput } from '../shared/DateInput';
import { formatCount } from '../shared/decimal';
import { EntryDialog, OwnInput, Remark, TextInput, optionalDay } from '../shared/form';
import { useToast } from '../shared/Toasts';
import { type NextState, type States, stateAct } from './details';
import { Meaning } from './Meaning';

const schema = z.object({ state: z.string(), starts_on: optionalDay, reason: z.string() });
type Values = z.infer<typeof schema>;

export function StateDialog({ states, onClose }: { states: States; onClose: () => void }) {
  const queries = useQueryClient();
  const say = useToast();
  const path = { params: { path: { organisation: states.organisation } } };
  const set = async (state: string, starts_on: string, reason: string) =>
    body(
      await api.POST('/api/v1/organisations/{organisation}/states', {
        ...path,
        body: {
          state: state as 'active',
          starts_on: starts_on || null,
          reason: reason.trim() || null,
        },
      }),
    );
  const save = async ({ state, starts_on, reason }: Values) => {
    await set(state, state === 'closed' ? '' : starts_on, reason);
    await queries.invalidateQueries();
    const planned = starts_on && state !== 'closed';
    say(
      `${states.organisation_name} is ${planned ? `to be ${state} from ${starts_on}` : state} now.`,
      state === 'suspended' && !planned ? () => set('active', '', '') : undefined,
    );
  };
  const first = states.next.find((each) => !each.hindrances.length) ?? states.next[0];
  return (
    <EntryDialog
      title={`State of ${states.organisation_name}`}
      act="Change it"
      schema={schema}
      initial={{ state: first?.state ?? '', starts_on: '', reason: '' }}
      save={save}
      onClose={onClose}
    >
      <OwnInput<string> name="state">
        {(value, onChange) => (
          <RadioGroup
            aria-label="What it is to become"
            value={value}
            onChange={(event) => onChange(event.target.value)}
            row
          >
            {states.next.map((each) => (
              <FormControlLabel
                key={each.state}
                value={each.state}
                disabled={each.hindrances.length > 0}
                control={<Radio />}
                label={stateAct(each.state)}
              />
            ))}
          </RadioGroup>
        )}
      </OwnInput>
      <Chosen states={states} />
    </EntryDialog>
  );
}

function Chosen({ states }: { states: States }) {
  const state = useWatch<Values, 'state'>({ name: 'state' });
  const against = states.next.filter((each) => each.hindrances.length);
  const chosen = states.next.find((each) => each.state === state);
  const needsReason = state === 'suspended' || state === 'closing';
  return (
    <>
      {against.map((each) => (
        <Remark key={each.state}>{hindered(each)}</Remark>
      ))}
      {chosen && (
        <Box sx={{ gridColumn: '1 / -1' }}>
          <Meaning of={chosen.meaning} />
        </Box>
      )}
      {states.below + states.subscriptions > 0 && (
        <Alert severity="info" variant="outlined" sx={{ gridColumn: '1 / -1' }}>
          {states.below > 0 && `The same holds for ${formatCount(states.below)} below it. `}
          {states.subscriptions > 0 &&
            `${formatCount(states.subscriptions)} ${states.subscriptions === 1 ? 'subscription runs' : 'subscriptions run'}.`}
        </Alert>
      )}
      {state !== 'closed' && (
        <DateInput
          name="starts_on"
          label="From"
          columns={3}
          optional
          hint="A day to come; left out, from now on"
        />
      )}
      <TextInput
        name="reason"
        label="Reason"
        columns={state === 'closed' ? 6 : 3}
        optional={!needsReason}
        hint="Its own people read it"
      />
    </>
  );
}

const hindered = ({ state, hindrances }: NextState): string =>
  `It cannot be ${state} yet: ${hindrances.join('; ')}.`;
