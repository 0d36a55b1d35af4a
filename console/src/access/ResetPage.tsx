/** Set a new password by a link. */
import { Alert, Button, TextField, Typography } from '@mui/material';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../shared/api';
import { Outside } from './Outside';

export default function ResetPage() {
  const [password, setPassword] = useState('');
  const secret = window.location.hash.slice(1);
  const reset = useMutation({
    mutationFn: async () => {
      await api.POST('/api/v1/password-resets', { body: { secret, password } });
    },
  });
  if (reset.isSuccess)
    return (
      <Outside title="Your password is set">
        <Typography variant="body2">All your sessions are over; sign in with the new one.</Typography>
        <Button variant="contained" href="/">
          Sign in
        </Button>
      </Outside>
    );
  return (
    <Outside title="Set a new password" onSubmit={() => reset.mutate()}>
      <TextField
        label="New password"
        type="password"
        autoComplete="new-password"
        required
        value={password}
        onChange={(event) => setPassword(event.target.value)}
        helperText="At least 12 characters."
      />
      {reset.error && (
        <Alert severity="error" variant="outlined">
          {reset.error.message}
        </Alert>
      )}
      <Button type="submit" variant="contained" loading={reset.isPending} disabled={!secret}>
        Set it
      </Button>
    </Outside>
  );
}
