/** A small curve of what a unit costs on average over the quantity used; exact prices stand in the table beside it. */
import { Box, useTheme } from '@mui/material';
import { formatQuantity } from '../shared/decimal';
import type { Rate } from './catalogue';
import { curve, drawable } from './rates';

const WIDTH = 240;
const HEIGHT = 64;
const BASE = HEIGHT - 14;

export function UnitPriceCurve({ rate }: { rate: Rate }) {
  const theme = useTheme();
  const found = drawable(rate);
  if (!found) return null;
  const points = curve(found.blocks, found.whole);
  const line = points.map(({ x, y }) => `${(x * WIDTH).toFixed(1)},${(BASE - y * (BASE - 4)).toFixed(1)}`);
  const ends = found.blocks.map((block) => block.to).filter((end) => end !== undefined);
  const last = ends[ends.length - 1] ?? '';
  const first = found.blocks[0]?.price ?? '';
  const lowest = found.blocks[found.blocks.length - 1]?.price ?? '';
  return (
    <Box component="figure" sx={{ m: 0, width: WIDTH, maxWidth: '100%' }}>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        width="100%"
        role="img"
        aria-label={`Average price of a unit: from ${first} towards ${lowest} as the quantity grows beyond ${last}`}
      >
        <line x1="0" x2={WIDTH} y1={BASE} y2={BASE} stroke={theme.vars?.palette.divider} />
        <line x1={WIDTH / 1.5} x2={WIDTH / 1.5} y1="4" y2={BASE} stroke={theme.vars?.palette.divider} />
        <text
          x={WIDTH / 1.5}
          y={HEIGHT - 2}
          textAnchor="middle"
          fontSize="10"
          fill={theme.vars?.palette.text.secondary}
        >
          {formatQuantity(last)} {rate.per}
        </text>
        <polyline
          points={line.join(' ')}
          fill="none"
          stroke={theme.vars?.palette.primary.main}
          strokeWidth="1.8"
        />
      </svg>
    </Box>
  );
}
