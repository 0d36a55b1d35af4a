/** Of whom an organisation buys, one seller after the other, and what is planned. */
import { Box, Button } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useSignedIn } from '../access/session';
import type { Organisation } from '../organisations/organisations';
import { Section } from '../shared/Page';
import { useToast } from '../shared/Toasts';
import { MoveDialog } from './MoveDialog';
import { MoveTold } from './MoveTold';
import { type Move, movesOptions, moveWords, withdrawMove } from './moves';

export function Moves({ organisation }: { organisation: Organisation }) {
  const { session, may } = useSignedIn();
  const [planning, setPlanning] = useState(false);
  const moves = useQuery(movesOptions(organisation.slug));
  const found = moves.data?.items ?? [];
  const planned = found.find((each) => each.state === 'planned');
  const member = session.memberships.some((each) => each.organisation === organisation.slug);
  const decides = organisation.type !== 'provider' && !member && may('manage organisations');
  if (!decides && !found.length) return null;
  return (
    <Section
      title={planned ? 'It is to move' : 'Its seller'}
      aside={decides && !planned && <Button onClick={() => setPlanning(true)}>Move to another seller</Button>}
    >
      {planned && <Planned move={planned} />}
      <Box component="ul" sx={{ m: 0, mt: 1, p: 0, listStyle: 'none', fontSize: '0.9rem', lineHeight: 1.9 }}>
        {found
          .filter((each) => each !== planned)
          .map((each) => (
            <li key={each.id}>{moveWords(each)}.</li>
          ))}
        {!found.length && (
          <Box component="li" sx={{ color: 'text.secondary' }}>
            It never moved.
          </Box>
        )}
      </Box>
      {planning && <MoveDialog organisation={organisation} onClose={() => setPlanning(false)} />}
    </Section>
  );
}

function Planned({ move }: { move: Move }) {
  const queries = useQueryClient();
  const say = useToast();
  const withdraw = useMutation({
    mutationFn: () => withdrawMove(move.organisation, move.id ?? ''),
    onSuccess: async () => {
      await queries.invalidateQueries();
      say(`${move.organisation_name} stays where it is.`);
    },
  });
  return (
    <>
      <MoveTold move={move} />
      {move.reason && <Box sx={{ mt: 1.5, fontSize: '0.9rem' }}>Reason: {move.reason}</Box>}
      {move.may_withdraw && (
        <Button sx={{ mt: 1.5 }} loading={withdraw.isPending} onClick={() => withdraw.mutate()}>
          Withdraw the move
        </Button>
      )}
    </>
  );
}
