/** Said where somebody has no rights for want of a second factor, with the way to one. */
import { Alert, Button } from '@mui/material';
import { useState } from 'react';
import type { Schemas } from '../shared/api';
import { SetUp } from './SecondFactor';

export default function HeldBack({ held }: { held: Schemas['HeldBackBody'][] }) {
  const [open, setOpen] = useState(false);
  const names = held.map((each) => each.name).join(', ');
  const who = [...new Set(held.map((each) => each.demanded_by))].join(', ');
  return (
    <>
      <Alert
        severity="warning"
        variant="outlined"
        action={
          <Button color="inherit" onClick={() => setOpen(true)}>
            Set it up
          </Button>
        }
      >
        {who} demands a second factor: until you have one you have no rights in {names}.
      </Alert>
      {open && <SetUp onClose={() => setOpen(false)} />}
    </>
  );
}
