/** A line of hours, with exact values on hover and as text; where nothing is said it has a gap. */
import { Box } from '@mui/material';
import { visuallyHidden } from '@mui/utils';
import { LineChart } from '@mui/x-charts/LineChart';
import { dayName, momentName } from './dates';

export default function HourLine({
  label,
  times,
  amounts,
  color,
  format,
  tick,
  summary,
}: {
  label: string;
  /** When each hour begins, in their order. */
  times: readonly string[];
  /** Exact, as text, one for each time; null is a gap. */
  amounts: readonly (string | null)[];
  color: string;
  format: (amount: string) => string;
  /** How a height of the axis is written. */
  tick: (amount: number) => string;
  /** What a screen reader says in place of the line. */
  summary: string;
}) {
  return (
    <Box component="figure" sx={{ m: 0, maxWidth: 1100 }} aria-label={label}>
      <LineChart
        height={220}
        skipAnimation
        margin={{ left: 0, right: 8, top: 8, bottom: 0 }}
        xAxis={[
          {
            data: times.map((time) => new Date(time)),
            scaleType: 'utc',
            valueFormatter: (time: Date, { location }: { location: string }) =>
              location === 'tick' ? tickOf(time.toISOString()) : momentName(time.toISOString()),
            height: 24,
            // Times of day beside those of many days would leave no room for the days.
            tickLabelInterval: (time: Date) => times.length <= 48 || time.getUTCHours() === 0,
          },
        ]}
        yAxis={[
          {
            valueFormatter: tick,
            width: 52,
            disableLine: true,
            disableTicks: true,
            // A line at the edge would be half of one.
            domainLimit: (_, most) => ({ min: 0, max: Number(most) * 1.08 || 1 }),
          },
        ]}
        series={[
          {
            id: 'load',
            color,
            curve: 'stepAfter',
            showMark: false,
            // A drawn height is not a figure: what is read is the text.
            data: amounts.map((each) => (each === null ? null : Number(each))),
            valueFormatter: (_: number | null, { dataIndex }: { dataIndex: number }) => {
              const amount = amounts[dataIndex];
              return amount ? format(amount) : 'nothing is said';
            },
          },
        ]}
        grid={{ horizontal: true }}
        hideLegend
      />
      <Box component="figcaption" sx={visuallyHidden}>
        {summary}
      </Box>
    </Box>
  );
}

/** A day where one begins, else the time of day. */
const tickOf = (time: string) => (time.slice(11, 16) === '00:00' ? dayName(time) : time.slice(11, 16));
