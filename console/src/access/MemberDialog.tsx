/** One member: role, rest, removal, and a link for a new password. */
import { Box, Button, Checkbox, FormControlLabel, MenuItem, TextField } from '@mui/material';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, body } from '../shared/api';
import { FormDialog } from '../shared/FormDialog';
import { OnceShown } from './OnceShown';
import { type Member, ROLES, type Role, linkOf } from './members';

export function MemberDialog({
  organisation,
  member,
  onClose,
}: {
  organisation: string;
  member: Member;
  onClose: () => void;
}) {
  const queries = useQueryClient();
  const [role, setRole] = useState<Role>(member.role);
  const [disabled, setDisabled] = useState(member.disabled);
  const path = { organisation, user_id: member.user_id };
  const done = async () => {
    await queries.invalidateQueries({ queryKey: ['members'] });
    onClose();
  };
  const change = useMutation({
    mutationFn: async () =>
      body(
        await api.PATCH('/api/v1/organisations/{organisation}/members/{user_id}', {
          params: { path },
          body: { role, disabled },
        }),
      ),
    onSuccess: done,
  });
  const remove = useMutation({
    mutationFn: async () => {
      await api.DELETE('/api/v1/organisations/{organisation}/members/{user_id}', { params: { path } });
    },
    onSuccess: done,
  });
  const reset = useMutation({
    mutationFn: async () =>
      body(
        await api.POST('/api/v1/organisations/{organisation}/members/{user_id}/password-reset', {
          params: { path },
        }),
      ),
  });
  return (
    <FormDialog
      title={member.name}
      act="Keep changes"
      change={change}
      ready={role !== member.role || disabled !== member.disabled}
      other={{ act: 'Remove from members', change: remove }}
      onClose={onClose}
    >
      <Box sx={{ fontSize: '0.86rem', color: 'text.secondary' }}>{member.email}</Box>
      <TextField select label="Role" value={role} onChange={(event) => setRole(event.target.value as Role)}>
        {ROLES.map((each) => (
          <MenuItem key={each.role} value={each.role}>
            {each.role}: {each.says}
          </MenuItem>
        ))}
      </TextField>
      <FormControlLabel
        control={<Checkbox checked={disabled} onChange={(event) => setDisabled(event.target.checked)} />}
        label="Disabled: no rights here until enabled again; tokens rest too"
      />
      {reset.data ? (
        <OnceShown secret={linkOf('reset', reset.data.secret)}>
          {`Hand this link to ${member.email}; it works once and lasts a day.`}
        </OnceShown>
      ) : (
        <Box>
          <Button variant="outlined" loading={reset.isPending} onClick={() => reset.mutate()}>
            Make a link for a new password
          </Button>
          {reset.error && (
            <Box sx={{ mt: 1, color: 'error.main', fontSize: '0.86rem' }}>{reset.error.message}</Box>
          )}
        </Box>
      )}
    </FormDialog>
  );
}
