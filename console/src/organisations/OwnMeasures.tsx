/** What the provider limits beside what is built in: measures of its own. */
import { Box, Button } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import * as z from 'zod/mini';
import { api, body, type Schemas } from '../shared/api';
import { EntryDialog, Remark, TextInput } from '../shared/form';
import { Section } from '../shared/Page';
import { useToast } from '../shared/Toasts';
import { formatUnit } from '../shared/units';
import { type Measure, measuresOptions } from './measures';
import { measureName } from './organisations';

type Wanted = Schemas['MeasureCreate'];

const KINDS = [
  ['stock', 'what is had at a time'],
  ['monthly', 'what flows in a month'],
  ['daily', 'what flows in a day'],
  ['rate', 'what flows in a second'],
] as const;

/** A measure in words. */
export const measureWords = (each: Measure): string =>
  `${measureName(each.measure)}: ${KINDS.find(([kind]) => kind === each.kind)?.[1] ?? each.kind}, in ${formatUnit(each.unit, '2')}`;

export function OwnMeasures() {
  const queries = useQueryClient();
  const say = useToast();
  const measures = useQuery(measuresOptions);
  const [adding, setAdding] = useState(false);
  const own = (measures.data ?? []).filter((each) => each.defined);
  const again = () =>
    Promise.all(['measures', 'quotas', 'uses'].map((key) => queries.invalidateQueries({ queryKey: [key] })));
  const define = async (wanted: Wanted) => {
    body(await api.PUT('/api/v1/measures', { body: wanted }));
    await again();
  };
  const retire = async ({ measure, unit, kind }: Measure) => {
    try {
      await api.DELETE('/api/v1/measures/{measure}', { params: { path: { measure } } });
    } catch (problem) {
      say(problem instanceof Error ? problem.message : 'It could not be retired.');
      return;
    }
    await again();
    say(`No limits of ${measureName(measure).toLowerCase()} are given any more.`, () =>
      define({ measure, unit, kind }),
    );
  };
  if (!measures.data) return null;
  return (
    <Section title="Measures of your own">
      <Box component="ul" sx={{ m: 0, p: 0, listStyle: 'none', fontSize: '0.9rem', maxWidth: 640 }}>
        {own.map((each) => (
          <Box component="li" key={each.measure} sx={{ display: 'flex', alignItems: 'center', gap: 2 }}>
            <Box sx={{ flex: 1 }}>{measureWords(each)}</Box>
            <Button aria-label={`Retire ${each.measure}`} onClick={() => void retire(each)}>
              Retire
            </Button>
          </Box>
        ))}
        {!own.length && <li>None: limits are of what is built in.</li>}
      </Box>
      <Button sx={{ mt: 1 }} onClick={() => setAdding(true)}>
        Define a measure
      </Button>
      {adding && (
        <MeasureDialog
          save={async (wanted) => {
            await define(wanted);
            say(`${measureName(wanted.measure)} can be limited, and counted by meters that name it.`);
          }}
          onClose={() => setAdding(false)}
        />
      )}
    </Section>
  );
}

const schema = z.object({
  measure: z
    .string()
    .check(z.regex(/^[a-z][a-z0-9-]{1,30}$/, 'Small letters, figures and hyphens, like seats')),
  unit: z.string().check(z.minLength(1, 'What one of it is called, like seat')),
  kind: z.enum(['stock', 'monthly', 'daily', 'rate']),
});

function MeasureDialog({ save, onClose }: { save: (wanted: Wanted) => Promise<void>; onClose: () => void }) {
  return (
    <EntryDialog
      title="Define a measure"
      act="Define it"
      schema={schema}
      initial={{ measure: '', unit: '', kind: 'stock' as const }}
      save={save}
      onClose={onClose}
    >
      <TextInput name="measure" label="Name" columns={3} hint="Like seats; it never changes" />
      <TextInput name="unit" label="Unit" columns={3} hint="Like seat, as meters count it, or GiB" />
      <TextInput name="kind" label="What is limited" options={KINDS} />
      <Remark>
        Everybody whom you sell to reads the name beside its limits. It is counted once a service has a meter
        that says that it is use of it.
      </Remark>
    </EntryDialog>
  );
}
