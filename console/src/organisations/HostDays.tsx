/** What hosts of a cloud had in use on each day, beside what they hand out. */
import { Box, MenuItem, TextField, useColorScheme } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Suspense, lazy } from 'react';
import { useSignedIn } from '../access/session';
import { addDays } from '../shared/dates';
import { formatQuantity } from '../shared/decimal';
import { useFilters } from '../shared/filters';
import { Section } from '../shared/Page';
import { SERIES } from '../shared/palette';
import { Empty, Loading, Query } from '../shared/States';
import { formatUnit } from '../shared/units';
import { type HostDay, hostDaysOptions, resourceName } from './hosts';

const StackedBars = lazy(() => import('../shared/StackedBars'));

interface Props {
  cloud: string;
  /** When they were looked at last. */
  look: string;
}

/** All hosts together. */
export function TogetherDays({ cloud, look }: Props) {
  const { session } = useSignedIn();
  const days = useQuery(hostDaysOptions(cloud, '', look));
  const [params, set] = useFilters();
  const resources = [...new Map((days.data ?? []).map((each) => [each.resource, each.unit]))];
  const wanted = [params.get('of'), 'processors', resources[0]?.[0]];
  const chosen = wanted.find((each) => resources.some(([resource]) => resource === each)) ?? '';
  return (
    <Section
      title="Day by day"
      aside={
        resources.length > 1 && (
          <TextField
            select
            label="Of"
            value={chosen}
            onChange={(event) => set('of', event.target.value)}
            sx={{ minWidth: 150 }}
          >
            {resources.map(([resource, unit]) => (
              <MenuItem key={resource} value={resource}>
                {resourceName(resource, unit)}
              </MenuItem>
            ))}
          </TextField>
        )
      }
    >
      <Query query={days} rows={4}>
        {(found) => (
          <Drawn
            days={found.filter((each) => each.resource === chosen)}
            today={session.now.slice(0, 10)}
            whose="All hosts"
          />
        )}
      </Query>
    </Section>
  );
}

/** One host and resource, below its row. */
export function HostDays({ cloud, host, of, look }: Props & { host: string; of: string }) {
  const { session } = useSignedIn();
  const days = useQuery(hostDaysOptions(cloud, host, look));
  return (
    <Box sx={{ py: 1.5 }}>
      <Query query={days} rows={4}>
        {(found) => (
          <Drawn
            days={found.filter((each) => each.resource === of)}
            today={session.now.slice(0, 10)}
            whose={host}
          />
        )}
      </Query>
    </Box>
  );
}

/** The last 30 days up to today, each with what is known of it. */
export function lastDays<Day extends { day: string }>(
  days: Day[],
  today: string,
): [string, Day | undefined][] {
  const known = new Map(days.map((each) => [each.day, each]));
  return Array.from({ length: 30 }, (_, place) => addDays(today, place - 29)).map((day) => [
    day,
    known.get(day),
  ]);
}

function Drawn({ days, today, whose }: { days: HostDay[]; today: string; whose: string }) {
  const { mode, systemMode } = useColorScheme();
  const tone = (mode === 'system' ? systemMode : mode) === 'dark' ? 'dark' : 'light';
  const last = days.at(-1);
  if (!last) return <Empty title="Nothing was told of it in the last 30 days">It was not told of.</Empty>;
  const said = (amount: string) =>
    `${formatQuantity(amount, 2)}${last.unit ? ` ${formatUnit(last.unit, amount)}` : ''}`;
  const name = resourceName(last.resource, last.unit);
  const shown = lastDays(days, today);
  return (
    <>
      <Suspense fallback={<Loading rows={4} />}>
        <StackedBars
          label={`${whose}: ${name} in use at most by day`}
          times={shown.map(([day]) => day)}
          today={today}
          by="day"
          height={220}
          series={[
            {
              id: name,
              color: SERIES[tone][0],
              amounts: shown.map(([, known]) => known?.used_most ?? '0'),
              format: said,
            },
          ]}
          line={{ at: Number(last.capacity), label: `handed out ${said(last.capacity)}` }}
          tick={(amount) => formatQuantity(String(amount))}
          summary={(index) => {
            const known = shown[index]?.[1];
            return known
              ? `${said(known.used_least)} to ${said(known.used_most)} of ${said(known.capacity)}, ${known.looks} looks`
              : 'not looked at';
          }}
        />
      </Suspense>
      <Box sx={{ color: 'text.secondary', fontSize: '0.86rem' }}>
        The most that was in use on each UTC day. A day on which nothing was told has no bar.
      </Box>
    </>
  );
}
