/** Invite one address; the link is shown once, to be handed over. */
import {
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  Button,
  MenuItem,
  TextField,
} from '@mui/material';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, body } from '../shared/api';
import { FormDialog } from '../shared/FormDialog';
import { OnceShown } from './OnceShown';
import { ROLES, type Role, linkOf } from './members';

export function InviteDialog({
  organisation,
  name,
  first,
  onClose,
}: {
  organisation: string;
  name: string;
  /** Only the first one is invited from above. */
  first?: boolean;
  onClose: () => void;
}) {
  const queries = useQueryClient();
  const [email, setEmail] = useState('');
  const [role, setRole] = useState<Role>(first ? 'administrator' : 'viewer');
  const invite = useMutation({
    mutationFn: async () =>
      body(
        await api.POST('/api/v1/organisations/{organisation}/invitations', {
          params: { path: { organisation } },
          body: { email: email.trim(), role },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['invitations'] }),
  });
  if (invite.data)
    return (
      <Dialog open onClose={onClose} aria-labelledby="invited-title" fullWidth maxWidth="sm">
        <DialogTitle id="invited-title">{invite.data.email} is invited</DialogTitle>
        <DialogContent>
          <OnceShown secret={linkOf('join', invite.data.secret ?? '')}>
            {`Hand this link to ${invite.data.email}; it lasts seven days.`}
          </OnceShown>
        </DialogContent>
        <DialogActions>
          <Button variant="contained" onClick={onClose}>
            Done
          </Button>
        </DialogActions>
      </Dialog>
    );
  return (
    <FormDialog
      title={first ? `Invite the first administrator of ${name}` : `Invite to ${name}`}
      act="Make the link"
      change={invite}
      ready={email.includes('@')}
      onClose={onClose}
    >
      <TextField
        label="E-mail address"
        type="email"
        required
        value={email}
        onChange={(event) => setEmail(event.target.value)}
        helperText="Only whoever has this address can accept."
      />
      {!first && (
        <TextField select label="Role" value={role} onChange={(event) => setRole(event.target.value as Role)}>
          {ROLES.map((each) => (
            <MenuItem key={each.role} value={each.role}>
              {each.role}: {each.says}
            </MenuItem>
          ))}
        </TextField>
      )}
    </FormDialog>
  );
}
