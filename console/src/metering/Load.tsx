/** How much of a resource was used hour by hour, on days that are chosen. */
import { Box, MenuItem, TextField, useColorScheme } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Suspense, lazy, useState } from 'react';
import { useSignedIn } from '../access/session';
import { addDays, nextMonth } from '../shared/dates';
import { formatQuantity, inOneUnit } from '../shared/decimal';
import { Section } from '../shared/Page';
import { SERIES } from '../shared/palette';
import { Empty, Query } from '../shared/States';
import { formatUnit } from '../shared/units';
import { type Load as Measured, loadsOptions } from './metering';

const HourLine = lazy(() => import('../shared/HourLine'));

const RANGES = [
  ['1', 'The last day'],
  ['7', 'The last 7 days'],
  ['month', 'The month'],
  ['92', 'The last 92 days'],
] as const;

/** The first day of a range, and the first one after it: of a month, or up to now or to the month's end. */
export function daysOf(range: string, period: string, today: string): [string, string] {
  const end = nextMonth(period);
  if (range === 'month') return [`${period}-01`, end];
  const until = addDays(today, 1) < end ? addDays(today, 1) : end;
  return [addDays(until, -Number(range)), until];
}

export function Load({ organisation, period, name }: { organisation: string; period: string; name: string }) {
  const { session } = useSignedIn();
  const [range, setRange] = useState('7');
  const [chosen, setChosen] = useState('');
  const [first, until] = daysOf(range, period, session.now.slice(0, 10));
  const loads = useQuery(loadsOptions(organisation, name, first, until));
  const items = loads.data?.items ?? [];
  const item = items.find((each) => each.meter === chosen) ?? items[0];
  return (
    <Section
      title="Its load"
      aside={
        <Box sx={{ display: 'flex', gap: 1 }}>
          <TextField
            select
            size="small"
            label="Days"
            value={range}
            onChange={(event) => setRange(event.target.value)}
          >
            {RANGES.map(([value, words]) => (
              <MenuItem key={value} value={value}>
                {words}
              </MenuItem>
            ))}
          </TextField>
          {items.length > 1 && (
            <TextField
              select
              size="small"
              label="Measured"
              value={item?.meter ?? ''}
              onChange={(event) => setChosen(event.target.value)}
            >
              {items.map((each) => (
                <MenuItem key={each.meter} value={each.meter}>
                  {each.meter_name}
                </MenuItem>
              ))}
            </TextField>
          )}
        </Box>
      }
    >
      <Query query={loads} rows={4}>
        {() =>
          item ? (
            <Hours item={item} />
          ) : (
            <Empty title="Nothing was measured of it then">Choose other days, or another month.</Empty>
          )
        }
      </Query>
    </Section>
  );
}

function Hours({ item }: { item: Measured }) {
  const { mode, systemMode } = useColorScheme();
  const tone = (mode === 'system' ? systemMode : mode) === 'dark' ? 'dark' : 'light';
  const { values, unit } = inOneUnit(
    [item.mean, item.highest, ...item.points.map((each) => each.quantity)],
    item.unit,
  );
  const said = (amount: string) => `${formatQuantity(amount, 2)} ${formatUnit(unit, amount)}`;
  const [mean = '0', highest = '0', ...amounts] = values;
  const words = `${said(mean)} on average, ${said(highest)} at most`;
  const times = item.points.map((each) => each.at);
  const [all, drawn] = withGaps(times, amounts);
  return (
    <>
      <Box sx={{ mb: 1 }}>
        {item.meter_name}: {words}
        {item.is_level ? '' : ', in an hour'}
        {item.watched && '; only watched, not charged'}
      </Box>
      <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>{formatUnit(unit, '2')}</Box>
      <Suspense fallback={<Box sx={{ height: 220 }} />}>
        <HourLine
          label={`${item.meter_name} by hour, UTC`}
          times={all}
          amounts={drawn}
          color={SERIES[tone][0] ?? ''}
          format={said}
          tick={(amount) => formatQuantity(String(amount), 2)}
          summary={`${item.points.length} hours, ${words}`}
        />
      </Suspense>
    </>
  );
}

const HOUR = 3_600_000;

/** Hours with a gap of one where some are missing in between. */
export function withGaps(
  times: readonly string[],
  amounts: readonly string[],
): [string[], (string | null)[]] {
  const all: string[] = [];
  const drawn: (string | null)[] = [];
  times.forEach((time, place) => {
    const last = all.at(-1);
    if (last !== undefined && Date.parse(time) - Date.parse(last) > HOUR) {
      all.push(new Date(Date.parse(last) + HOUR).toISOString());
      drawn.push(null);
    }
    all.push(time);
    drawn.push(amounts[place] ?? null);
  });
  return [all, drawn];
}
