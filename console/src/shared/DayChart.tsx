/** Bars over the days of a period, with a zero line and exact values on demand. */
import { Box, useTheme } from '@mui/material';
import { useState } from 'react';
import { dayName } from './dates';
import { compare, share } from './decimal';

export interface Day {
  day: string;
  /** Exact, as text. */
  value: string;
}

interface Props {
  days: Day[];
  format: (value: string) => string;
  unit: string;
  label: string;
  height?: number;
}

const WIDTH = 720;
const LEFT = 6;

export function DayChart({ days, format, unit, label, height = 150 }: Props) {
  const theme = useTheme();
  const [active, setActive] = useState<number | null>(null);
  if (!days.length) return null;
  const most = days.reduce((best, each) => (compare(each.value, best) > 0 ? each.value : best), '0');
  const step = (WIDTH - LEFT) / days.length;
  const base = height - 20;
  const shown = active === null ? undefined : days[active];
  const peak = days.findIndex((each) => each.value === most);
  return (
    <Box component="figure" sx={{ m: 0, maxWidth: 900, position: 'relative' }}>
      <Box
        sx={{ height: 20, fontSize: '0.8rem', color: 'text.secondary', fontVariantNumeric: 'tabular-nums' }}
      >
        {shown ? (
          <span>
            {dayName(shown.day)}: <strong>{format(shown.value)}</strong> {unit}
          </span>
        ) : (
          <span>
            highest {dayName(days[peak]?.day ?? '')}: {format(most)} {unit}
          </span>
        )}
      </Box>
      <svg
        viewBox={`0 0 ${WIDTH} ${height}`}
        role="img"
        aria-label={label}
        style={{ width: '100%', display: 'block' }}
      >
        <line
          x1={LEFT}
          x2={WIDTH}
          y1={base + 0.5}
          y2={base + 0.5}
          stroke={theme.vars?.palette.text.secondary}
          strokeWidth="1"
        />
        {days.map((each, index) => {
          const size = Math.max(0, share(each.value, most)) * (base - 8);
          return (
            <g key={each.day} onMouseEnter={() => setActive(index)} onMouseLeave={() => setActive(null)}>
              <rect x={LEFT + index * step} y={0} width={step} height={base} fill="transparent" />
              <rect
                x={LEFT + index * step + step * 0.12}
                y={base - size}
                width={step * 0.76}
                height={size}
                fill={active === index ? theme.vars?.palette.primary.main : theme.vars?.palette.neutral}
              />
              {(index === 0 || index === days.length - 1 || (index + 1) % 5 === 0) && (
                <text
                  x={LEFT + index * step + step / 2}
                  y={height - 5}
                  textAnchor="middle"
                  fontSize="11"
                  fill={theme.vars?.palette.text.secondary}
                >
                  {Number(each.day.slice(8, 10))}
                </text>
              )}
            </g>
          );
        })}
      </svg>
      <Box
        component="figcaption"
        sx={{ position: 'absolute', width: 1, height: 1, overflow: 'hidden', clip: 'rect(0 0 0 0)' }}
      >
        {days.map((each) => `${each.day} ${format(each.value)} ${unit}`).join('; ')}
      </Box>
    </Box>
  );
}
