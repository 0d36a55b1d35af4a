/** Have a link mailed by which one sets a new password. */
import { Button, Typography } from '@mui/material';
import { useState } from 'react';
import * as z from 'zod/mini';
import { api } from '../shared/api';
import { TextInput, address } from '../shared/form';
import { Outside } from './Outside';
import { OutsideForm } from './OutsideForm';

const schema = z.object({ email: address });

export default function ForgotPage() {
  const [asked, setAsked] = useState('');
  if (asked)
    return (
      <Outside title="Look into your mail">
        <Typography variant="body2">
          If somebody signs in with {asked}, a link is on its way there; it lasts an hour. If nothing comes,
          an administrator of your organisation can make one for you.
        </Typography>
        <Button variant="contained" href="/">
          Sign in
        </Button>
      </Outside>
    );
  return (
    <OutsideForm
      title="A new password"
      lead="You are sent a link by which you set it."
      act="Send the link"
      schema={schema}
      initial={{ email: '' }}
      save={async ({ email }) => {
        await api.POST('/api/v1/password-resets/ask', { body: { email } });
        setAsked(email);
      }}
    >
      <TextInput name="email" label="E-mail address" type="email" kept="username" />
    </OutsideForm>
  );
}
