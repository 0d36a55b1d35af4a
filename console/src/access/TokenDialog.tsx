/** Make a token; it is shown once. */
import {
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  MenuItem,
  TextField,
} from '@mui/material';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useSignedIn } from './session';
import { api, body } from '../shared/api';
import { FormDialog } from '../shared/FormDialog';
import { OnceShown } from './OnceShown';
import { ROLES, type Role } from './members';

export function TokenDialog({ onClose }: { onClose: () => void }) {
  const { session, home } = useSignedIn();
  const queries = useQueryClient();
  const [organisation, setOrganisation] = useState(home.organisation);
  const [name, setName] = useState('');
  const [role, setRole] = useState<Role>('sender');
  const [days, setDays] = useState('90');
  const own = session.memberships.find((each) => each.organisation === organisation)?.role ?? 'sender';
  const offered = ROLES.slice(ROLES.findIndex((each) => each.role === own));
  const make = useMutation({
    mutationFn: async () =>
      body(
        await api.POST('/api/v1/tokens', {
          body: { organisation, name: name.trim(), role, days: Number(days) },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['tokens'] }),
  });
  if (make.data)
    return (
      <Dialog open onClose={onClose} aria-labelledby="token-title" fullWidth maxWidth="sm">
        <DialogTitle id="token-title">{make.data.name}</DialogTitle>
        <DialogContent>
          <OnceShown secret={make.data.secret ?? ''}>
            {`Give this key to the program; it lasts until ${make.data.expires_at.slice(0, 10)}.`}
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
      title="Make a token"
      act="Make it"
      change={make}
      ready={name.trim() !== '' && Number(days) > 0}
      onClose={onClose}
    >
      <TextField label="Name" required value={name} onChange={(event) => setName(event.target.value)} />
      {session.memberships.length > 1 && (
        <TextField
          select
          label="For"
          value={organisation}
          onChange={(event) => setOrganisation(event.target.value)}
        >
          {session.memberships.map((each) => (
            <MenuItem key={each.organisation} value={each.organisation}>
              {each.name}
            </MenuItem>
          ))}
        </TextField>
      )}
      <TextField
        select
        label="Role, at most"
        value={role}
        onChange={(event) => setRole(event.target.value as Role)}
      >
        {offered.map((each) => (
          <MenuItem key={each.role} value={each.role}>
            {each.role}: {each.says}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        label="Days"
        value={days}
        onChange={(event) => setDays(event.target.value)}
        slotProps={{ htmlInput: { inputMode: 'numeric', pattern: '[0-9]+' } }}
      />
    </FormDialog>
  );
}
