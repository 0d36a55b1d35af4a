/** An identifier, small and copyable. */
import { Box, ButtonBase } from '@mui/material';
import { useState } from 'react';
import { MONO } from './theme';

export function Slug({ children }: { children: string }) {
  const [copied, setCopied] = useState(false);
  const copy = async () => {
    await navigator.clipboard.writeText(children);
    setCopied(true);
    setTimeout(() => setCopied(false), 1_500);
  };
  return (
    <ButtonBase
      aria-label={`Copy ${children}`}
      onClick={() => void copy()}
      sx={{ fontFamily: MONO, fontSize: '0.78rem', gap: 0.75, color: 'text.secondary' }}
    >
      {children}
      <Box component="span" role="status" sx={{ fontFamily: 'inherit', minWidth: '1em' }}>
        {copied ? 'copied' : <CopySign />}
      </Box>
    </ButtonBase>
  );
}

const CopySign = () => (
  <svg width="11" height="11" viewBox="0 0 12 12" fill="none" stroke="currentColor" aria-hidden="true">
    <path d="M4 4h7v7H4zM8 4V1H1v7h3" />
  </svg>
);
