/** Sign-in by password. */
import { Link } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Navigate } from 'react-router';
import * as z from 'zod/mini';
import { api, body, setCsrf } from '../shared/api';
import { TextInput, given, password } from '../shared/form';
import { OutsideForm } from './OutsideForm';
import { rememberSignedIn, sessionOptions, setUpOptions } from './session';

const schema = z.object({
  email: given('The address with which you were invited'),
  password: password('Your password'),
});

export default function SignInPage() {
  const queries = useQueryClient();
  const setUp = useQuery(setUpOptions);
  if (setUp.data?.open) return <Navigate to="/set-up" replace />;
  return (
    <OutsideForm
      title="Sign in"
      act="Sign in"
      schema={schema}
      initial={{ email: '', password: '' }}
      save={async (values) => {
        const session = body(await api.POST('/api/v1/session', { body: values }));
        rememberSignedIn(true);
        setCsrf(session.csrf);
        queries.setQueryData(sessionOptions.queryKey, session);
      }}
    >
      <TextInput name="email" label="E-mail address" type="email" kept="username" />
      <TextInput name="password" label="Password" type="password" kept="current-password" />
      <Link href="/forgot" sx={{ gridColumn: '1 / -1', fontSize: '0.86rem' }}>
        Forgot your password?
      </Link>
    </OutsideForm>
  );
}
