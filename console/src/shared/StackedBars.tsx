/** Bars of days or months, stacked in the order given, with exact values on hover and focus and as text. */
import { Box } from '@mui/material';
import { visuallyHidden } from '@mui/utils';
import { BarChart } from '@mui/x-charts/BarChart';
import { ChartsReferenceLine } from '@mui/x-charts/ChartsReferenceLine';
import { dayName, periodName } from './dates';
import { compare } from './decimal';

export interface Series {
  id: string;
  label?: string;
  color: string;
  /** Exact, as text, one for each time. */
  amounts: string[];
  format: (amount: string) => string;
}

export default function StackedBars({
  label,
  times,
  by,
  series,
  today,
  tick,
  height = 260,
  line,
  summary,
}: {
  label: string;
  times: readonly string[];
  by: 'day' | 'month';
  series: Series[];
  /** The day that is not over, which is marked. */
  today?: string | undefined;
  /** How a length of the axis is written. */
  tick: (amount: number) => string;
  height?: number;
  /** A height that is not to be exceeded. */
  line?: { at: number; label: string } | undefined;
  /** What a screen reader says of each time. */
  summary: (index: number) => string;
}) {
  return (
    <Box component="figure" sx={{ m: 0, maxWidth: 1100 }} aria-label={label}>
      <BarChart
        height={height}
        skipAnimation
        margin={{ left: 0, right: 8, top: 8, bottom: 0 }}
        borderRadius={0}
        xAxis={[
          {
            data: times,
            scaleType: 'band',
            valueFormatter: (time: string, { location }: { location: string }) =>
              by === 'month'
                ? periodName(time)
                : location === 'tick'
                  ? String(Number(time.slice(8)))
                  : dayName(time) + (time === today ? ', so far' : ''),
            categoryGapRatio: 0.25,
            height: 24,
            tickLabelInterval: (_: string, index: number) =>
              by === 'month' || index === 0 || (index + 1) % 5 === 0,
          },
        ]}
        yAxis={[
          {
            valueFormatter: tick,
            width: 52,
            disableLine: true,
            disableTicks: true,
            // The line is seen though nothing comes near it.
            domainLimit: (least, most) => ({
              min: Math.min(0, Number(least)),
              max: Math.max(Number(most), (line?.at ?? 0) * 1.08),
            }),
          },
        ]}
        series={series.map(({ amounts, format, ...rest }) => ({
          ...rest,
          stack: 'all',
          // A drawn length is not a figure: what is read is the text.
          data: amounts.map(Number),
          valueFormatter: (_: number | null, { dataIndex }: { dataIndex: number }) =>
            compare(amounts[dataIndex] ?? '0', '0') ? format(amounts[dataIndex] ?? '0') : null,
        }))}
        grid={{ horizontal: true }}
        hideLegend={series.length === 1}
        slotProps={{
          legend: { direction: 'horizontal', position: { vertical: 'top', horizontal: 'start' } },
        }}
      >
        {line && (
          <ChartsReferenceLine
            y={line.at}
            label={line.label}
            labelAlign="end"
            lineStyle={{ stroke: 'var(--mui-palette-error-main)', strokeWidth: 1.5, strokeDasharray: '5 4' }}
            labelStyle={{ fontSize: 12, fill: 'var(--mui-palette-text-primary)' }}
          />
        )}
      </BarChart>
      <Box component="figcaption" sx={visuallyHidden}>
        {times.map((time, index) => `${time} ${summary(index)}`).join('; ')}
      </Box>
    </Box>
  );
}

/** A length of an axis in few letters. */
export function short(amount: number): string {
  if (Math.abs(amount) >= 1e6) return `${amount / 1e6} M`;
  return Math.abs(amount) >= 1e3 ? `${amount / 1e3} k` : String(amount);
}
