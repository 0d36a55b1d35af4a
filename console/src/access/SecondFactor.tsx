/** A code beside the password: set up in two steps, with codes that stand in for it; renewed and given up. */
import { Box, Button } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import * as z from 'zod/mini';
import { api, body, type Schemas } from '../shared/api';
import { momentName } from '../shared/dates';
import { EntryDialog, Remark, TextInput, given, password } from '../shared/form';
import { Section } from '../shared/Page';
import { Query } from '../shared/States';
import { MONO } from '../shared/theme';
import { OnceDialog } from './OnceShown';
import { sessionOptions } from './session';
import { secondFactorOptions } from './secondFactor';

type Begun = Schemas['SecondFactorSecretBody'];

const CODE = z.object({ code: given('A code') });
const PASSWORD = z.object({ password: password('Your password') });

export function SecondFactor() {
  const found = useQuery(secondFactorOptions);
  const [open, setOpen] = useState<'set up' | 'renew' | 'drop'>();
  const close = () => setOpen(undefined);
  return (
    <Section title="Second factor">
      <Query query={found} rows={1}>
        {(factor) => (
          <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 2, alignItems: 'center', mb: 3 }}>
            <Box sx={{ flex: '1 1 320px' }}>
              {factor.since
                ? `You sign in with a code too, since ${momentName(factor.since)} UTC. ${factor.recovery_codes} recovery codes are left.`
                : 'You sign in by password alone. With an app for codes nobody gets in who only knows your password.'}
            </Box>
            {factor.on ? (
              <>
                <Button onClick={() => setOpen('renew')}>New recovery codes</Button>
                <Button onClick={() => setOpen('drop')}>Give it up</Button>
              </>
            ) : (
              <Button variant="outlined" onClick={() => setOpen('set up')}>
                Set up a second factor
              </Button>
            )}
          </Box>
        )}
      </Query>
      {open === 'set up' && <SetUp onClose={close} />}
      {open === 'renew' && <Renew onClose={close} />}
      {open === 'drop' && <Drop onClose={close} />}
    </Section>
  );
}

/** First the password, then the picture and a first code, then the codes that stand in. */
export function SetUp({ onClose }: { onClose: () => void }) {
  const queries = useQueryClient();
  const [begun, setBegun] = useState<Begun>();
  const [codes, setCodes] = useState<string[]>();
  const end = () => {
    void queries.invalidateQueries({ queryKey: secondFactorOptions.queryKey });
    void queries.invalidateQueries({ queryKey: sessionOptions.queryKey });
    onClose();
  };
  if (codes) return <Codes codes={codes} onClose={end} />;
  if (!begun)
    return (
      <EntryDialog
        key="password"
        title="Set up a second factor"
        act="Go on"
        schema={PASSWORD}
        initial={{ password: '' }}
        save={async (values) =>
          setBegun(body(await api.POST('/api/v1/session/second-factor', { body: values })))
        }
        stays
        onClose={onClose}
      >
        <Remark>
          You need an app for codes by time (RFC 6238), on your telephone or in your keeper of passwords.
        </Remark>
        <TextInput name="password" label="Your password" type="password" kept="current-password" />
      </EntryDialog>
    );
  return (
    <EntryDialog
      key="code"
      title="Set up a second factor"
      act="Set it up"
      schema={CODE}
      initial={{ code: '' }}
      save={async (values) =>
        setCodes(body(await api.POST('/api/v1/session/second-factor/confirm', { body: values })).codes)
      }
      stays
      onClose={onClose}
    >
      <Box sx={{ gridColumn: '1 / -1', display: 'flex', flexWrap: 'wrap', gap: 2.5, alignItems: 'center' }}>
        <Box
          component="img"
          src={`data:image/svg+xml,${encodeURIComponent(begun.picture)}`}
          alt="The secret, for the app to read"
          sx={{ width: 190, height: 190, bgcolor: '#fff', p: 0.5 }}
        />
        <Box sx={{ flex: '1 1 200px', fontSize: '0.9rem' }}>
          Let the app read the picture, or type this into it:
          <Box
            component="code"
            data-testid="secret"
            sx={{ display: 'block', fontFamily: MONO, overflowWrap: 'anywhere', mt: 1 }}
          >
            {begun.secret}
          </Box>
        </Box>
      </Box>
      <TextInput name="code" label="The code that it shows" kept="one-time-code" columns={3} />
    </EntryDialog>
  );
}

function Codes({ codes, onClose }: { codes: string[]; onClose: () => void }) {
  return (
    <OnceDialog title="Recovery codes" secret={codes.join('\n')} onClose={onClose}>
      Keep these where nobody else finds them. Each stands in for the app once.
    </OnceDialog>
  );
}

function Renew({ onClose }: { onClose: () => void }) {
  const queries = useQueryClient();
  const [codes, setCodes] = useState<string[]>();
  if (codes) return <Codes codes={codes} onClose={onClose} />;
  return (
    <EntryDialog
      title="New recovery codes"
      act="Make them"
      schema={CODE}
      initial={{ code: '' }}
      save={async (values) => {
        const made = await api.POST('/api/v1/session/second-factor/recovery-codes', { body: values });
        setCodes(body(made).codes);
        await queries.invalidateQueries({ queryKey: secondFactorOptions.queryKey });
      }}
      stays
      onClose={onClose}
    >
      <Remark>Those that you have are good no more.</Remark>
      <TextInput name="code" label="A code of the app, or a recovery code" kept="one-time-code" />
    </EntryDialog>
  );
}

function Drop({ onClose }: { onClose: () => void }) {
  const queries = useQueryClient();
  return (
    <EntryDialog
      title="Give up the second factor"
      act="Give it up"
      schema={CODE}
      initial={{ code: '' }}
      save={async (values) => {
        await api.POST('/api/v1/session/second-factor/drop', { body: values });
        await queries.invalidateQueries({ queryKey: secondFactorOptions.queryKey });
        await queries.invalidateQueries({ queryKey: sessionOptions.queryKey });
      }}
      onClose={onClose}
    >
      <Remark>
        You sign in by password alone again. Where a second factor is demanded you have no rights then.
      </Remark>
      <TextInput name="code" label="A code of the app, or a recovery code" kept="one-time-code" />
    </EntryDialog>
  );
}
