/** For who is a member of organisations that all demand a second factor, and has none. */
import { Button } from '@mui/material';
import type { Schemas } from '../shared/api';
import { Outside } from './Outside';
import HeldBack from './HeldBack';
import { useSignOut } from './session';

export default function HeldBackPage({ held }: { held: Schemas['HeldBackBody'][] }) {
  const signOut = useSignOut();
  return (
    <Outside title="One more step" wide>
      <HeldBack held={held} />
      <Button onClick={() => void signOut()}>Sign out</Button>
    </Outside>
  );
}
