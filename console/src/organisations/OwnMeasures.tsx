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

/** What the service itself counts, offered beside the kinds. */
const COUNTED = [
  ['subscriptions', 'subscriptions that it has'],
  ['cloud accounts', 'accounts in clouds that it has'],
  ['tokens', 'tokens of programs that it has'],
] as const;
const WHAT = [...KINDS, ...COUNTED];
type What = (typeof WHAT)[number][0];
const counted = COUNTED.map(([counts]) => counts);

/** A measure in words. */
export const measureWords = (each: Measure): string =>
  `${measureName(each.measure)}: ${WHAT.find(([what]) => what === (each.counts ?? each.kind))?.[1] ?? each.kind}, in ${formatUnit(each.unit, '2')}`;

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
  const retire = async ({ measure, unit, kind, counts }: Measure) => {
    try {
      await api.DELETE('/api/v1/measures/{measure}', { params: { path: { measure } } });
    } catch (problem) {
      say(problem instanceof Error ? problem.message : 'It could not be retired.');
      return;
    }
    await again();
    say(`No limits of ${measureName(measure).toLowerCase()} are given any more.`, () =>
      define({ measure, unit, kind, counts: counts ?? null }),
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
            say(
              wanted.counts
                ? `${measureName(wanted.measure)} can be limited.`
                : `${measureName(wanted.measure)} can be limited, and counted by meters that name it.`,
            );
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
  what: z.enum(WHAT.map(([what]) => what)),
});

function MeasureDialog({ save, onClose }: { save: (wanted: Wanted) => Promise<void>; onClose: () => void }) {
  return (
    <EntryDialog
      title="Define a measure"
      act="Define it"
      schema={schema}
      initial={{ measure: '', unit: '', what: 'stock' as What }}
      save={({ what, ...named }) => {
        const counts = counted.find((each) => each === what);
        return save({ ...named, kind: counts ? 'count' : (what as Wanted['kind']), counts: counts ?? null });
      }}
      onClose={onClose}
    >
      <TextInput name="measure" label="Name" columns={3} hint="Like seats; it never changes" />
      <TextInput name="unit" label="Unit" columns={3} hint="Like seat, as meters count it, or GiB" />
      <TextInput name="what" label="What is limited" options={WHAT} />
      <Remark>
        Everybody whom you sell to reads the name beside its limits. What is had or flows is counted once a
        service has a meter that says that it is use of it; the rest is counted here, and nobody gets more of
        it than its limit leaves.
      </Remark>
    </EntryDialog>
  );
}
