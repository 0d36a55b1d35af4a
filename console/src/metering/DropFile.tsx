/** Where a file is chosen or dropped; what became of it stands below. */
import { Box, Button } from '@mui/material';
import { type ReactNode, useRef } from 'react';

interface Props {
  act: string;
  /** What the file is, for those who do not see the box. */
  label: string;
  /** Endings of names. */
  accept: string;
  hint: string;
  busy: boolean;
  /** Whether several can be chosen at once. */
  many?: boolean;
  onPick: (files: File[]) => void;
  children: ReactNode;
}

export function DropFile({ act, label, accept, hint, busy, many = false, onPick, children }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const pick = (files: FileList | null) => {
    const chosen = [...(files ?? [])];
    if (chosen.length) onPick(many ? chosen : chosen.slice(0, 1));
  };
  return (
    <Box
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        pick(event.dataTransfer.files);
      }}
      sx={{ border: '1px dashed', borderColor: 'divider', p: 2, mb: 3, fontSize: '0.88rem' }}
    >
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'center' }}>
        <Button variant="outlined" loading={busy} onClick={() => input.current?.click()}>
          {act}
        </Button>
        <input
          ref={input}
          type="file"
          accept={accept}
          multiple={many}
          aria-label={label}
          tabIndex={-1}
          style={{ position: 'absolute', width: 1, height: 1, opacity: 0 }}
          onChange={(event) => {
            pick(event.target.files);
            // So that the same file can be chosen again.
            event.target.value = '';
          }}
        />
        <Box sx={{ color: 'text.secondary' }}>{hint}</Box>
      </Box>
      {children}
    </Box>
  );
}
