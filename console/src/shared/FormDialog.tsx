/** A dialog with a form: fields, the refusal where it belongs, and one button that says what happens. */
import { Alert, Box, Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material';
import type { ReactNode } from 'react';

export function FormDialog({
  title,
  act,
  change,
  ready = true,
  other,
  onClose,
  children,
}: {
  title: string;
  act: string;
  change: { mutate: () => void; isPending: boolean; error: Error | null };
  ready?: boolean;
  /** Something else that can be done here instead. */
  other?: { act: string; change: { mutate: () => void; isPending: boolean; error: Error | null } };
  onClose: () => void;
  children: ReactNode;
}) {
  const failed = change.error ?? other?.change.error;
  return (
    <Dialog open onClose={onClose} aria-labelledby="form-dialog-title" fullWidth maxWidth="sm">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          change.mutate();
        }}
      >
        <DialogTitle id="form-dialog-title">{title}</DialogTitle>
        <DialogContent>
          <Box sx={{ display: 'grid', gap: 2, pt: 1 }}>
            {children}
            {failed && (
              <Alert severity="error" variant="outlined">
                {failed.message}
              </Alert>
            )}
          </Box>
        </DialogContent>
        <DialogActions>
          {other && (
            <Button
              onClick={() => other.change.mutate()}
              loading={other.change.isPending}
              sx={{ mr: 'auto' }}
            >
              {other.act}
            </Button>
          )}
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" loading={change.isPending} disabled={!ready}>
            {act}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
