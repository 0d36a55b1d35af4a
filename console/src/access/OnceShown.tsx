/** A link or key that is shown this once, with a button that copies it. */
import { Alert, Box, Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material';
import { useState } from 'react';
import { MONO } from '../shared/theme';

/** The same as all of a dialog. */
export function OnceDialog(props: { title: string; secret: string; onClose: () => void; children: string }) {
  const { title, secret, onClose, children } = props;
  return (
    <Dialog open onClose={onClose} aria-labelledby="once-title" fullWidth maxWidth="sm">
      <DialogTitle id="once-title">{title}</DialogTitle>
      <DialogContent>
        <OnceShown secret={secret}>{children}</OnceShown>
      </DialogContent>
      <DialogActions>
        <Button variant="contained" onClick={onClose}>
          Done
        </Button>
      </DialogActions>
    </Dialog>
  );
}

export function OnceShown({ secret, children }: { secret: string; children: string }) {
  const [copied, setCopied] = useState(false);
  return (
    <Alert severity="info" variant="outlined" icon={false}>
      <Box sx={{ mb: 1 }}>{children} It is not shown again.</Box>
      <Box sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
        <Box
          component="code"
          data-testid="secret"
          sx={{
            fontFamily: MONO,
            fontSize: '0.8rem',
            overflowWrap: 'anywhere',
            whiteSpace: 'pre-line',
            flex: 1,
          }}
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
