/** Set a new password by a link. */
import { Button, Typography } from '@mui/material';
import { useState } from 'react';
import * as z from 'zod/mini';
import { api } from '../shared/api';
import { TextInput, newPassword } from '../shared/form';
import { Outside } from './Outside';
import { OutsideForm } from './OutsideForm';

const schema = z.object({ password: newPassword });

export default function ResetPage() {
  const [done, setDone] = useState(false);
  const secret = window.location.hash.slice(1);
  if (done)
    return (
      <Outside title="Your password is set">
        <Typography variant="body2">All your sessions are over; sign in with the new one.</Typography>
        <Button variant="contained" href="/">
          Sign in
        </Button>
      </Outside>
    );
  return (
    <OutsideForm
      title="Set a new password"
      act="Set it"
      schema={schema}
      initial={{ password: '' }}
      save={async ({ password }) => {
        await api.POST('/api/v1/password-resets', { body: { secret, password } });
        setDone(true);
      }}
      ready={secret !== ''}
    >
      <TextInput
        name="password"
        label="New password"
        type="password"
        kept="new-password"
        hint="At least 12 characters."
      />
    </OutsideForm>
  );
}
