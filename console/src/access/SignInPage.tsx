/** Sign-in by password, and by a code where one has a second factor. */
import { Link } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { useFormContext } from 'react-hook-form';
import { Navigate } from 'react-router';
import * as z from 'zod/mini';
import { Refusal, api, body, setCsrf } from '../shared/api';
import { TextInput, given, password } from '../shared/form';
import { OutsideForm } from './OutsideForm';
import { rememberSignedIn, sessionOptions, setUpOptions } from './session';

const schema = z.object({
  email: given('The address with which you were invited'),
  password: password('Your password'),
  code: z.string(),
});

export default function SignInPage() {
  const queries = useQueryClient();
  const setUp = useQuery(setUpOptions);
  const [asked, setAsked] = useState(false);
  if (setUp.data?.open) return <Navigate to="/set-up" replace />;
  return (
    <OutsideForm
      title="Sign in"
      act="Sign in"
      schema={schema}
      initial={{ email: '', password: '', code: '' }}
      save={async ({ code, ...values }) => {
        try {
          const answer = await api.POST('/api/v1/session', { body: asked ? { ...values, code } : values });
          const session = body(answer);
          rememberSignedIn(true);
          setCsrf(session.csrf);
          queries.setQueryData(sessionOptions.queryKey, session);
        } catch (problem) {
          if (!(problem instanceof Refusal && problem.code === 'second_factor_needed')) throw problem;
          setAsked(true);
        }
      }}
    >
      <TextInput name="email" label="E-mail address" type="email" kept="username" />
      <TextInput name="password" label="Password" type="password" kept="current-password" />
      {asked && <Code />}
      <Link href="/forgot" sx={{ gridColumn: '1 / -1', fontSize: '0.86rem' }}>
        Forgot your password?
      </Link>
    </OutsideForm>
  );
}

/** The code, which is typed next. */
function Code() {
  const { setFocus } = useFormContext();
  useEffect(() => setFocus('code'), [setFocus]);
  return (
    <TextInput
      name="code"
      label="Code"
      kept="one-time-code"
      hint="The one that your app shows, or a recovery code."
    />
  );
}
