/** A year of months to choose from, and the years beside it. */
import { Box, Button, IconButton, Popover } from '@mui/material';
import { useState } from 'react';

const SHORT = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];

export default function MonthPicker(props: {
  at: HTMLElement;
  onClose: () => void;
  chosen: string;
  last: string;
  any: boolean;
  onChosen: (period: string) => void;
}) {
  const { at, onClose, chosen, last, any, onChosen } = props;
  const [year, setYear] = useState(Number((chosen || last).slice(0, 4)));
  return (
    <Popover open anchorEl={at} onClose={onClose} anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}>
      <Box role="dialog" aria-label="Month" sx={{ p: 1.5, width: 250 }}>
        <Box sx={{ display: 'flex', alignItems: 'center', mb: 1 }}>
          <IconButton size="small" aria-label="The year before" onClick={() => setYear(year - 1)}>
            ‹
          </IconButton>
          <Box sx={{ flex: 1, textAlign: 'center', fontWeight: 620 }}>{year}</Box>
          <IconButton
            size="small"
            aria-label="The year after"
            disabled={year >= Number(last.slice(0, 4))}
            onClick={() => setYear(year + 1)}
          >
            ›
          </IconButton>
        </Box>
        <Box sx={{ display: 'grid', gridTemplateColumns: 'repeat(4, 1fr)', gap: 0.5 }}>
          {SHORT.map((name, index) => {
            const period = `${year}-${String(index + 1).padStart(2, '0')}`;
            return (
              <Button
                key={period}
                variant={period === chosen ? 'contained' : 'text'}
                color={period === chosen ? 'primary' : 'inherit'}
                disabled={period > last}
                aria-label={`${name} ${year}`}
                onClick={() => onChosen(period)}
                sx={{ minWidth: 0 }}
              >
                {name}
              </Button>
            );
          })}
        </Box>
        {any && (
          <Button fullWidth sx={{ mt: 1 }} onClick={() => onChosen('')}>
            All months
          </Button>
        )}
      </Box>
    </Popover>
  );
}
