/** A link or key that is shown this once, with a button that copies it. */
import { Alert, Box, Button } from '@mui/material';
import { useState } from 'react';
import { MONO } from '../shared/theme';

export function OnceShown({ secret, children }: { secret: string; children: string }) {
  const [copied, setCopied] = useState(false);
  return (
    <Alert severity="info" variant="outlined" icon={false}>
      <Box sx={{ mb: 1 }}>{children} It is not shown again.</Box>
      <Box sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
        <Box
          component="code"
          data-testid="secret"
          sx={{ fontFamily: MONO, fontSize: '0.8rem', overflowWrap: 'anywhere', flex: 1 }}
        >
          {secret}
        </Box>
        <Button
          variant="outlined"
          onClick={() => {
            void navigator.clipboard.writeText(secret).then(() => setCopied(true));
          }}
        >
          {copied ? 'Copied' : 'Copy'}
        </Button>
      </Box>
    </Alert>
  );
}
