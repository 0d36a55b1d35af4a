/** Sign-in by password. */
import { Alert, Box, Button, Paper, TextField, Typography } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Navigate } from 'react-router';
import { api, body, setCsrf } from '../shared/api';
import { Contours, Mark } from '../shared/Mark';
import { rememberSignedIn, sessionOptions, setUpOptions } from './session';

export default function SignInPage() {
  const queries = useQueryClient();
  const [email, setEmail] = useState('');
  const [password, setPassword] = useState('');
  const signIn = useMutation({
    mutationFn: async () => body(await api.POST('/api/v1/session', { body: { email, password } })),
    onSuccess: (session) => {
      rememberSignedIn(true);
      setCsrf(session.csrf);
      queries.setQueryData(sessionOptions.queryKey, session);
    },
  });
  useEffect(() => {
    document.title = 'Sign in · Gradumen';
  }, []);
  const setUp = useQuery(setUpOptions);
  if (setUp.data?.open) return <Navigate to="/set-up" replace />;
  return (
    <Box component="main" sx={{ minHeight: '100vh', display: 'grid', placeItems: 'center', p: 2 }}>
      <Contours />
      <Paper
        component="form"
        onSubmit={(event) => {
          event.preventDefault();
          signIn.mutate();
        }}
        sx={{
          position: 'relative',
          width: 360,
          maxWidth: '100%',
          p: 4,
          border: '1px solid',
          borderColor: 'divider',
        }}
      >
        <Box sx={{ display: 'flex', alignItems: 'center', gap: 1.25, mb: 3 }}>
          <Mark size={34} />
          <Typography variant="h1">Gradumen</Typography>
        </Box>
        <Box sx={{ display: 'grid', gap: 2 }}>
          <TextField
            label="E-mail address"
            type="email"
            autoComplete="username"
            required
            value={email}
            onChange={(event) => setEmail(event.target.value)}
          />
          <TextField
            label="Password"
            type="password"
            autoComplete="current-password"
            required
            value={password}
            onChange={(event) => setPassword(event.target.value)}
          />
          {signIn.isError && (
            <Alert severity="error" variant="outlined">
              {signIn.error.message}
            </Alert>
          )}
          <Button type="submit" variant="contained" size="medium" loading={signIn.isPending}>
            Sign in
          </Button>
        </Box>
      </Paper>
    </Box>
  );
}
