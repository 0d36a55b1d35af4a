/** A field to type in and what is found by it, moved through by the arrow keys and chosen by Enter. */
import { Box, TextField } from '@mui/material';
import { type KeyboardEvent, type ReactNode, useId, useState } from 'react';

export interface Findable {
  key: string;
  title: string;
  note?: ReactNode;
  choose: () => void;
}

export function Found(props: {
  label: string;
  typed: string;
  onTyped: (text: string) => void;
  found: Findable[];
  loading: boolean;
  more: boolean;
  none: string;
}) {
  const { label, typed, onTyped, found, loading, more, none } = props;
  const [chosen, setChosen] = useState(0);
  const id = useId();
  const at = Math.min(chosen, found.length - 1);
  const pressed = (event: KeyboardEvent) => {
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (step !== undefined && found.length) {
      event.preventDefault();
      const next = (at + step + found.length) % found.length;
      setChosen(next);
      document.getElementById(`${id}-${next}`)?.scrollIntoView({ block: 'nearest' });
    } else if (event.key === 'Enter') {
      event.preventDefault();
      found[at]?.choose();
    }
  };
  return (
    <>
      <Box sx={{ p: 1.5 }}>
        <TextField
          label={label}
          value={typed}
          fullWidth
          // One opens this to type at once.
          // eslint-disable-next-line jsx-a11y/no-autofocus
          autoFocus
          onChange={(event) => {
            setChosen(0);
            onTyped(event.target.value);
          }}
          onKeyDown={pressed}
          slotProps={{
            htmlInput: {
              role: 'combobox',
              autoComplete: 'off',
              'aria-expanded': found.length > 0,
              'aria-controls': id,
              'aria-activedescendant': at >= 0 ? `${id}-${at}` : undefined,
            },
          }}
        />
      </Box>
      <Box id={id} role="listbox" aria-label={label} sx={{ maxHeight: '50vh', overflow: 'auto', pb: 1 }}>
        {found.map((each, index) => (
          <Box
            key={each.key}
            id={`${id}-${index}`}
            role="option"
            aria-selected={index === at}
            tabIndex={-1}
            onMouseMove={() => setChosen(index)}
            onClick={each.choose}
            onKeyDown={pressed}
            sx={{
              px: 2,
              py: 0.75,
              display: 'flex',
              gap: 2,
              alignItems: 'baseline',
              cursor: 'pointer',
              fontSize: '0.9rem',
              bgcolor: index === at ? 'action.selected' : undefined,
            }}
          >
            <Box sx={{ flex: 1, minWidth: 0, overflowWrap: 'anywhere' }}>{each.title}</Box>
            <Box sx={{ color: index === at ? 'text.primary' : 'text.secondary', fontSize: '0.8rem' }}>
              {each.note}
            </Box>
          </Box>
        ))}
      </Box>
      {!found.length && (
        <Box role="status" sx={{ px: 2, pb: 2, color: 'text.secondary', fontSize: '0.86rem' }}>
          {loading ? 'Looking …' : none}
        </Box>
      )}
      {more && (
        <Box sx={{ px: 2, pb: 1.5, color: 'text.secondary', fontSize: '0.8rem' }}>Type to find others.</Box>
      )}
    </>
  );
}
