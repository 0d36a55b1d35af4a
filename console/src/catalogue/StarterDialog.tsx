/** Begins with the small catalogue: published as it is, or written down to be adapted first. */
import { Box } from '@mui/material';
import { useQueryClient } from '@tanstack/react-query';
import { useNavigate } from 'react-router';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import { api } from '../shared/api';
import { EntryDialog } from '../shared/form';
import { starter } from './starter';
import { saveUnpublishedChange } from './unpublishedChanges';

export function StarterDialog({ currency, onClose }: { currency: string; onClose: () => void }) {
  const { home, session } = useSignedIn();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const forms = starter(currency, `${session.now.slice(0, 7)}-01`);
  const publish = async () => {
    const content = forms.map(({ form }) => JSON.stringify(form)).join('\n---\n');
    await api.POST('/api/v1/catalogue/publish', {
      body: { organisation: home.organisation, files: [{ name: 'starter.yaml', content }] },
    });
    await queries.invalidateQueries();
  };
  const write = async () => {
    for (const { kind, slug, form } of forms)
      await saveUnpublishedChange(home.organisation, kind, slug, form, null);
    await queries.invalidateQueries({ queryKey: ['unpublished changes'] });
    await navigate('/unpublished-changes');
  };
  return (
    <EntryDialog
      title="A small catalogue to begin with"
      act="Publish it as it is"
      schema={z.object({})}
      initial={{}}
      save={publish}
      other={{ act: 'Write it down to adapt it', run: write }}
      onClose={onClose}
    >
      <Box sx={{ fontSize: '0.9rem', gridColumn: '1 / -1' }}>
        Two services (Machines with processors and memory, Disks with capacity), the plan First Acre with two
        tiers, and a rate card in {currency} that prices all of it, offered to everybody. What is written down
        can be changed or discarded; published versions stay, and later ones take their place.
      </Box>
    </EntryDialog>
  );
}
