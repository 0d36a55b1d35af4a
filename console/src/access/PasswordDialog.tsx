/** Change the own password. */
import { useQueryClient } from '@tanstack/react-query';
import * as z from 'zod/mini';
import { api } from '../shared/api';
import { EntryDialog, TextInput, newPassword, password } from '../shared/form';

const schema = z.object({ current: password('The password you have now'), new: newPassword });

export function PasswordDialog({ onClose }: { onClose: () => void }) {
  const queries = useQueryClient();
  return (
    <EntryDialog
      title="Change password"
      act="Change it"
      schema={schema}
      initial={{ current: '', new: '' }}
      save={async (values) => {
        await api.POST('/api/v1/session/password', { body: values });
        await queries.invalidateQueries({ queryKey: ['sessions'] });
      }}
      onClose={onClose}
    >
      <TextInput name="current" label="Current password" type="password" kept="current-password" />
      <TextInput
        name="new"
        label="New password"
        type="password"
        kept="new-password"
        hint="At least 12 characters. Your sessions elsewhere end; tokens go on."
      />
    </EntryDialog>
  );
}
