/** What was in use of a measure day by day, beside its limit: asked for when somebody wants to see it. */
import { Box, Button, MenuItem, TextField, useColorScheme } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Suspense, lazy, useState } from 'react';
import { unitOfMeasure, useMeasures } from '../organisations/measures';
import { type Organisation, measureName } from '../organisations/organisations';
import { api, body } from '../shared/api';
import { compare, formatQuantity } from '../shared/decimal';
import { Section } from '../shared/Page';
import { SERIES } from '../shared/palette';
import { Loading, Query } from '../shared/States';
import { formatUnit } from '../shared/units';

const StackedBars = lazy(() => import('../shared/StackedBars'));

export function UseOverTime({ organisation }: { organisation: Organisation }) {
  const [open, setOpen] = useState(false);
  return (
    <Section
      title="Use over time"
      aside={
        <Button aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? 'Hide the days' : 'Show the days'}
        </Button>
      }
    >
      {open && <OfOne organisation={organisation.slug} />}
    </Section>
  );
}

function OfOne({ organisation }: { organisation: string }) {
  const [measure, setMeasure] = useState('processors');
  const measures = useMeasures();
  return (
    <>
      <TextField
        select
        label="Measure"
        value={measure}
        sx={{ minWidth: 160, mb: 2 }}
        onChange={(event) => setMeasure(event.target.value)}
      >
        {measures.map((each) => (
          <MenuItem key={each.measure} value={each.measure}>
            {measureName(each.measure, each.kind)}
          </MenuItem>
        ))}
      </TextField>
      <Days organisation={organisation} measure={measure} />
    </>
  );
}

function Days({ organisation, measure }: { organisation: string; measure: string }) {
  const days = useQuery({
    queryKey: ['uses', organisation, measure, 'days'],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/uses/{measure}/days', {
          params: { path: { organisation, measure } },
        }),
      ).items,
    staleTime: 60_000,
  });
  const { mode, systemMode } = useColorScheme();
  const tone = (mode === 'system' ? systemMode : mode) === 'dark' ? 'dark' : 'light';
  const measures = useMeasures();
  const unit = unitOfMeasure(measures, measure);
  const kind = measures.find((each) => each.measure === measure)?.kind;
  const said = (amount: string) => `${formatQuantity(amount, 1)} ${formatUnit(unit, amount)}`;
  return (
    <Query query={days} rows={4}>
      {(found) => {
        if (!found.length) return <Remarked>No day of these is over yet.</Remarked>;
        if (found.every((each) => each.quantity === null)) return <Remarked>No meter counts it.</Remarked>;
        const limit = found.at(-1)?.limit ?? null;
        const above = found.filter(
          (each) => each.limit !== null && compare(each.quantity ?? '0', each.limit) > 0,
        );
        return (
          <>
            <Suspense fallback={<Loading rows={4} />}>
              <StackedBars
                label={`${measureName(measure)} in use by day`}
                times={found.map((each) => each.day)}
                by="day"
                height={220}
                series={[
                  {
                    id: measure,
                    color: SERIES[tone][0],
                    amounts: found.map((each) => each.quantity ?? '0'),
                    format: said,
                  },
                ]}
                line={
                  limit === null ? undefined : { at: Number(limit), label: `limit ${formatQuantity(limit)}` }
                }
                tick={(amount) => formatQuantity(String(amount))}
                summary={(index) => said(found[index]?.quantity ?? '0')}
              />
            </Suspense>
            <Remarked>
              {kind === 'monthly'
                ? 'What flowed so far in the month, in UTC.'
                : kind === 'daily'
                  ? 'What flowed in each day, in UTC.'
                  : 'The mean of each day that is over, in UTC.'}{' '}
              {above.length > 0 && `Above its limit on ${above.length} of ${found.length} days.`}
            </Remarked>
          </>
        );
      }}
    </Query>
  );
}

function Remarked({ children }: { children: React.ReactNode }) {
  return <Box sx={{ color: 'text.secondary', fontSize: '0.86rem' }}>{children}</Box>;
}
