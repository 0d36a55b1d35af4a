/** Accept an invitation: as who is signed in, or as somebody new. */
import { Alert, Button, TextField, Typography } from '@mui/material';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { rememberSignedIn, sessionOptions, useSession } from './session';
import { api, body } from '../shared/api';
import { Outside } from './Outside';

export default function JoinPage() {
  const session = useSession();
  const go = useNavigate();
  const queries = useQueryClient();
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const secret = window.location.hash.slice(1);
  const signedIn = session.data ?? null;
  const join = useMutation({
    mutationFn: async () =>
      body(
        await api.POST('/api/v1/invitations/accept', {
          body: signedIn ? { secret } : { secret, name: name.trim(), password },
        }),
      ),
    onSuccess: async () => {
      if (signedIn) {
        rememberSignedIn(true);
        await queries.invalidateQueries({ queryKey: sessionOptions.queryKey });
      }
    },
  });
  if (join.data)
    return (
      <Outside title="Welcome">
        <Typography variant="body2">
          You are {join.data.role} of {join.data.name} now.
        </Typography>
        <Button variant="contained" onClick={() => void go('/', { replace: true })}>
          {signedIn ? 'Go on' : 'Sign in'}
        </Button>
      </Outside>
    );
  return (
    <Outside title="Join" onSubmit={() => join.mutate()}>
      {signedIn ? (
        <Typography variant="body2">You accept as {signedIn.email}.</Typography>
      ) : (
        <>
          <Typography variant="body2" sx={{ color: 'text.secondary' }}>
            Choose a name and a password. If you have a sign-in already, <a href="/">sign in</a> first, then
            open this link again.
          </Typography>
          <TextField
            label="Your name"
            autoComplete="name"
            required
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          <TextField
            label="Password"
            type="password"
            autoComplete="new-password"
            required
            value={password}
            onChange={(event) => setPassword(event.target.value)}
            helperText="At least 12 characters."
          />
        </>
      )}
      {join.error && (
        <Alert severity="error" variant="outlined">
          {join.error.message}
        </Alert>
      )}
      <Button
        type="submit"
        variant="contained"
        loading={join.isPending}
        disabled={!secret || session.isPending}
      >
        Accept the invitation
      </Button>
    </Outside>
  );
}
