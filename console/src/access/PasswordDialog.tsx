/** Change the own password. */
import { TextField } from '@mui/material';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api } from '../shared/api';
import { FormDialog } from '../shared/FormDialog';

export function PasswordDialog({ onClose }: { onClose: () => void }) {
  const queries = useQueryClient();
  const [current, setCurrent] = useState('');
  const [fresh, setFresh] = useState('');
  const change = useMutation({
    mutationFn: async () => {
      await api.POST('/api/v1/session/password', { body: { current, new: fresh } });
    },
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['sessions'] });
      onClose();
    },
  });
  return (
    <FormDialog
      title="Change password"
      act="Change it"
      change={change}
      ready={current !== '' && fresh !== ''}
      onClose={onClose}
    >
      <TextField
        label="Current password"
        type="password"
        autoComplete="current-password"
        required
        value={current}
        onChange={(event) => setCurrent(event.target.value)}
      />
      <TextField
        label="New password"
        type="password"
        autoComplete="new-password"
        required
        value={fresh}
        onChange={(event) => setFresh(event.target.value)}
        helperText="At least 12 characters. Your sessions elsewhere end; tokens go on."
      />
    </FormDialog>
  );
}
