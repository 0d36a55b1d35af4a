/** Accept an invitation: as who is signed in, or as somebody new. */
import { Button, Typography } from '@mui/material';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import * as z from 'zod/mini';
import { type Schemas, api, body } from '../shared/api';
import { TextInput, given, newPassword } from '../shared/form';
import { Outside } from './Outside';
import { OutsideForm } from './OutsideForm';
import { rememberSignedIn, sessionOptions, useSession } from './session';

const somebodyNew = z.object({ name: given('The name that others read'), password: newPassword });

export default function JoinPage() {
  const session = useSession();
  const go = useNavigate();
  const queries = useQueryClient();
  const [joined, setJoined] = useState<Schemas['JoinedBody']>();
  const secret = window.location.hash.slice(1);
  const signedIn = session.data ?? null;
  const accept = async (who: { name?: string; password?: string }) => {
    setJoined(body(await api.POST('/api/v1/invitations/accept', { body: { secret, ...who } })));
    if (signedIn) {
      rememberSignedIn(true);
      await queries.invalidateQueries({ queryKey: sessionOptions.queryKey });
    }
  };
  if (joined)
    return (
      <Outside title="Welcome">
        <Typography variant="body2">
          You are {joined.role} of {joined.name} now.
        </Typography>
        <Button variant="contained" onClick={() => void go('/', { replace: true })}>
          {signedIn ? 'Go on' : 'Sign in'}
        </Button>
      </Outside>
    );
  const shared = { title: 'Join', act: 'Accept the invitation', ready: secret !== '' && !session.isPending };
  if (signedIn)
    return (
      <OutsideForm
        key="as who is signed in"
        {...shared}
        lead={`You accept as ${signedIn.email}.`}
        schema={z.object({})}
        initial={{}}
        save={() => accept({})}
      />
    );
  return (
    <OutsideForm
      key="as somebody new"
      {...shared}
      lead={
        <>
          Choose a name and a password. If you have a sign-in already, <a href="/">sign in</a> first, then
          open this link again.
        </>
      }
      schema={somebodyNew}
      initial={{ name: '', password: '' }}
      save={accept}
    >
      <TextInput name="name" label="Your name" kept="name" />
      <TextInput
        name="password"
        label="Password"
        type="password"
        kept="new-password"
        hint="At least 12 characters."
      />
    </OutsideForm>
  );
}
