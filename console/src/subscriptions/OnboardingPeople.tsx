/** Who works with a new customer: people, their rights, the programs that they answer for, and their welcome. */
import { Box, Button } from '@mui/material';
import { useState } from 'react';
import { useFieldArray, useWatch } from 'react-hook-form';
import { ROLES as ALL_ROLES } from '../access/members';
import type { PlanForm } from '../catalogue/catalogue';
import { ServicesInput } from '../shared/ServicesInput';
import { CheckInput, TextInput } from '../shared/form';
import { COLUMNS, Remove } from './OnboardingParts';
import { type Values, newPerson } from './onboardings';

const ROLES = [
  ['administrator', 'Administrator'],
  ['finance', 'Finance'],
  ['viewer', 'Viewer'],
] as const;

export function People({ plans }: { plans: readonly PlanForm[] }) {
  const { fields, append, remove } = useFieldArray<Values, 'people'>({ name: 'people' });
  return (
    <>
      {fields.map((field, place) => (
        <Box key={field.id} sx={{ ...COLUMNS, mb: 1 }}>
          <TextInput name={`people.${place}.email`} label="E-mail address" columns={4} optional />
          <Box
            sx={{ gridColumn: { xs: '1 / -1', sm: 'span 2' }, display: 'flex', gap: 1, alignItems: 'center' }}
          >
            <Box sx={{ flex: 1, display: 'grid' }}>
              <TextInput name={`people.${place}.role`} label="Is there" options={ROLES} />
            </Box>
            <Remove what="this person" onClick={() => remove(place)} />
          </Box>
          <Rights place={place} plans={plans} />
        </Box>
      ))}
      <Button onClick={() => append(newPerson(fields.length ? 'viewer' : 'administrator'))}>
        {fields.length ? 'One more person' : 'Invite somebody'}
      </Button>
    </>
  );
}

/** A person's rights per service, and its programs: all that its role may and none, unless somebody says otherwise. */
function Rights({ place, plans }: { place: number; plans: readonly PlanForm[] }) {
  const [person, accounts] = useWatch<Values, [`people.${number}`, 'accounts']>({
    name: [`people.${place}`, 'accounts'],
  });
  const [open, setOpen] = useState(false);
  const said = person.services !== null || !person.cloud_user || person.programs.length > 0;
  const services = [...new Set(plans.flatMap((each) => each.services))];
  if (!person.email.trim() && !said) return null;
  if (!open && !said)
    return (
      <Box sx={{ gridColumn: '1 / -1', mt: -1.5 }}>
        <Button onClick={() => setOpen(true)}>Rights by service, programs</Button>
      </Box>
    );
  return (
    <Box sx={{ ...COLUMNS, gridColumn: '1 / -1', pt: 0, pl: 2, borderLeft: 2, borderColor: 'divider' }}>
      {services.length > 0 && <ServicesInput name={`people.${place}.services`} of={services} />}
      {accounts.some((each) => each.people) && (
        <CheckInput
          name={`people.${place}.cloud_user`}
          label="Becomes a user of its accounts in clouds"
          columns={6}
        />
      )}
      <ProgramsOf place={place} role={person.role} />
    </Box>
  );
}

function ProgramsOf({ place, role }: { place: number; role: string }) {
  const { fields, append, remove } = useFieldArray<Values, `people.${number}.programs`>({
    name: `people.${place}.programs`,
  });
  const first = ALL_ROLES.findIndex((each) => each.role === role);
  return (
    <>
      {fields.map((field, at) => (
        <Box
          key={field.id}
          sx={{
            gridColumn: '1 / -1',
            display: 'grid',
            gap: 2,
            alignItems: 'start',
            gridTemplateColumns: { xs: '1fr auto', sm: 'minmax(0, 1fr) 160px 92px 30px' },
          }}
        >
          <TextInput name={`people.${place}.programs.${at}.name`} label="Program" columns={1} />
          <TextInput
            name={`people.${place}.programs.${at}.role`}
            label="May at most"
            columns={1}
            options={ALL_ROLES.slice(Math.max(0, first)).map((each) => [each.role, each.role] as const)}
          />
          <TextInput name={`people.${place}.programs.${at}.days`} label="Days" columns={1} />
          <Remove what="this program" onClick={() => remove(at)} />
        </Box>
      ))}
      <Box sx={{ gridColumn: '1 / -1' }}>
        <Button onClick={() => append({ name: '', role: 'sender', days: '90' })}>
          {fields.length ? 'One more program' : 'A program that works with it'}
        </Button>
      </Box>
    </>
  );
}

/** Words for the mail that its people get, and whether they work with a second factor. */
export function Welcome() {
  const [welcome, people] = useWatch<Values, ['welcome', 'people']>({ name: ['welcome', 'people'] });
  const [open, setOpen] = useState(false);
  if (!people.some((each) => each.email.trim()) && !welcome) return null;
  return (
    <Box sx={{ ...COLUMNS, mb: 1 }}>
      <CheckInput name="second_factor" label="They work with a second factor" columns={3} />
      {open || welcome ? (
        <TextInput
          name="welcome"
          label="Words of welcome"
          lines={3}
          optional
          hint="In a mail of its own to each of them"
        />
      ) : (
        <Box sx={{ gridColumn: { xs: '1 / -1', sm: 'span 3' }, display: 'flex', alignItems: 'center' }}>
          <Button onClick={() => setOpen(true)}>Welcome them in your words</Button>
        </Box>
      )}
    </Box>
  );
}
