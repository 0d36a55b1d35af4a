/** Begins with the small catalogue: published as it is, or written down to be adapted first. */
import { Box } from '@mui/material';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useNavigate } from 'react-router';
import { useSignedIn } from '../access/session';
import { api, body } from '../shared/api';
import { FormDialog } from '../shared/FormDialog';
import { starter } from './starter';
import { saveUnpublishedChange } from './unpublishedChanges';

export function StarterDialog({ currency, onClose }: { currency: string; onClose: () => void }) {
  const { home, session } = useSignedIn();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const forms = starter(currency, `${session.now.slice(0, 7)}-01`);
  const publish = useMutation({
    mutationFn: async () =>
      body(
        await api.POST('/api/v1/catalogue/publish', {
          body: {
            organisation: home.organisation,
            files: [
              {
                name: 'starter.yaml',
                content: forms.map(({ form }) => JSON.stringify(form)).join('\n---\n'),
              },
            ],
          },
        }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries();
      onClose();
    },
  });
  const write = useMutation({
    mutationFn: async () => {
      for (const { kind, slug, form } of forms)
        await saveUnpublishedChange(home.organisation, kind, slug, form, null);
    },
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['unpublished changes'] });
      await navigate('/unpublished-changes');
    },
  });
  return (
    <FormDialog
      title="A small catalogue to begin with"
      act="Publish it as it is"
      change={publish}
      other={{ act: 'Write it down to adapt it', change: write }}
      onClose={onClose}
    >
      <Box sx={{ fontSize: '0.9rem' }}>
        Two services (Machines with processors and memory, Disks with capacity), the plan First Acre with two
        tiers, and a rate card in {currency} that prices all of it, offered to everybody. What is written down
        can be changed or discarded; published versions stay, and later ones take their place.
      </Box>
    </FormDialog>
  );
}
