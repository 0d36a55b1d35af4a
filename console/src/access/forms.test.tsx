/** What pages and dialogs about people ask of the service, and what they say before they ask. */
import { fireEvent, screen, waitFor } from '@testing-library/react';
import type { ReactElement } from 'react';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { Refusal, api } from '../shared/api';
import { drawn, press, type } from '../shared/drawn.testing';
import { InviteDialog } from './InviteDialog';
import JoinPage from './JoinPage';
import { MemberDialog } from './MemberDialog';
import { Programs } from './Programs';
import { PasswordDialog } from './PasswordDialog';
import ResetPage from './ResetPage';
import SignInPage from './SignInPage';
import { TokenDialog } from './TokenDialog';
import type { Member } from './members';
import { type Session, rememberSignedIn, sessionOptions, setUpOptions } from './session';

const SESSION = {
  email: 'edda@oxbow.example',
  memberships: [
    { organisation: 'oxbow', name: 'Oxbow', role: 'finance', rights: [] },
    { organisation: 'saltmarsh', name: 'Saltmarsh', role: 'viewer', rights: [] },
  ],
} as unknown as Session;
const NELL: Member = {
  user_id: 'u',
  email: 'nell@oxbow.example',
  name: 'Nell',
  role: 'viewer',
  disabled: false,
  second_factor: false,
  services: null,
};
const asked: { method: string; path: string; body: unknown }[] = [];
const closed = vi.fn();
/** What is there to be read, by path. */
const held: Record<string, unknown[]> = {
  '/api/v1/services': [{ slug: 'backup', form: { name: 'Backup' } }],
  '/api/v1/programs': [{ id: 'p', name: 'Till sync', organisation: 'oxbow', role: 'sender', days: 30 }],
};
let answer: () => Promise<unknown>;

beforeEach(() => {
  asked.length = 0;
  closed.mockClear();
  answer = () => Promise.resolve({ data: {} });
  rememberSignedIn(true);
  vi.spyOn(api, 'GET').mockImplementation(((path: string) =>
    Promise.resolve({ data: { items: held[path] ?? [] } })) as never);
  for (const method of ['POST', 'PUT', 'PATCH', 'DELETE'] as const)
    vi.spyOn(api, method).mockImplementation(((path: string, options: { body?: unknown }) => {
      asked.push({ method, path, body: options.body });
      return answer();
    }) as never);
});
afterEach(() => {
  vi.restoreAllMocks();
  rememberSignedIn(false);
  window.location.hash = '';
});

const draw = (view: ReactElement, session: Session | null = SESSION) =>
  drawn(view, [
    [sessionOptions.queryKey, session],
    [setUpOptions.queryKey, { open: false }],
  ]);

describe('signing in', () => {
  it('asks for what is missing, and says a refusal', async () => {
    draw(<SignInPage />, null);
    press('Sign in');
    expect(await screen.findByText('Your password')).toBeInTheDocument();
    expect(asked).toHaveLength(0);
    type(/^E-mail address/, ' edda@oxbow.example ');
    type(/^Password/, ' spaces are kept ');
    answer = () => Promise.reject(new Refusal(401, 'not_signed_in', 'wrong address or password'));
    press('Sign in');
    expect(await screen.findByText('wrong address or password')).toBeInTheDocument();
    expect(asked[0]?.body).toEqual({ email: 'edda@oxbow.example', password: ' spaces are kept ' });
  });
});

describe('an invitation', () => {
  it('is accepted by somebody new with a name and a password', async () => {
    window.location.hash = '#secret';
    answer = () => Promise.resolve({ data: { role: 'viewer', name: 'Oxbow', organisation: 'oxbow' } });
    draw(<JoinPage />, null);
    type(/^Your name/, 'Nell');
    type(/^Password/, 'short');
    press('Accept the invitation');
    expect(await screen.findByText('At least 12 characters')).toBeInTheDocument();
    type(/^Password/, 'long enough, this one');
    press('Accept the invitation');
    expect(await screen.findByText('You are viewer of Oxbow now.')).toBeInTheDocument();
    expect(asked[0]?.body).toEqual({ secret: 'secret', name: 'Nell', password: 'long enough, this one' });
  });

  it('is accepted by who is signed in as that one', async () => {
    window.location.hash = '#secret';
    answer = () => Promise.resolve({ data: { role: 'viewer', name: 'Oxbow' } });
    draw(<JoinPage />);
    expect(screen.getByText('You accept as edda@oxbow.example.')).toBeInTheDocument();
    press('Accept the invitation');
    await waitFor(() => expect(asked[0]?.body).toEqual({ secret: 'secret' }));
  });

  it('cannot be accepted without the secret of its link', () => {
    draw(<JoinPage />, null);
    expect(screen.getByRole('button', { name: 'Accept the invitation' })).toBeDisabled();
  });

  it('is made for an address, and its link is shown', async () => {
    answer = () => Promise.resolve({ data: { email: 'new@oxbow.example', secret: 'abc' } });
    draw(<InviteDialog organisation="oxbow" name="Oxbow" onClose={closed} />);
    type(/^E-mail address/, 'nowhere');
    press('Send the invitation');
    expect(await screen.findByText(/An address, as in/)).toBeInTheDocument();
    type(/^E-mail address/, 'new@oxbow.example');
    press('Send the invitation');
    expect(await screen.findByText('new@oxbow.example is invited')).toBeInTheDocument();
    expect(screen.getByTestId('secret')).toHaveTextContent(/\/join#abc$/);
    expect(asked.map((each) => each.body)).toEqual([{ email: 'new@oxbow.example', role: 'viewer' }]);
    expect(closed).not.toHaveBeenCalled();
  });
});

describe('a password', () => {
  it('is changed with the one before', async () => {
    draw(<PasswordDialog onClose={closed} />);
    type(/^Current password/, 'the old one');
    type(/^New password/, 'a longer new one');
    press('Change it');
    await waitFor(() => expect(closed).toHaveBeenCalled());
    expect(asked[0]?.body).toEqual({ current: 'the old one', new: 'a longer new one' });
  });

  it('is set by a link', async () => {
    window.location.hash = '#reset';
    draw(<ResetPage />, null);
    type(/^New password/, 'a longer new one');
    press('Set it');
    expect(await screen.findByText(/All your sessions are over/)).toBeInTheDocument();
    expect(asked[0]?.body).toEqual({ secret: 'reset', password: 'a longer new one' });
  });
});

describe('a member', () => {
  it('is saved only where something was changed, and that is taken back', async () => {
    draw(<MemberDialog organisation="oxbow" member={NELL} onClose={closed} />);
    expect(screen.getByRole('button', { name: 'Save' })).toBeDisabled();
    fireEvent.click(screen.getByLabelText(/^Disabled/));
    press('Save');
    expect(await screen.findByText('Nell is disabled now.')).toBeInTheDocument();
    press('Undo');
    expect(await screen.findByText('It is as it was before.')).toBeInTheDocument();
    expect(asked.map((each) => each.body)).toEqual([
      { role: 'viewer', disabled: true },
      { role: 'viewer', disabled: false },
    ]);
  });

  it('is held to some services, and to none of them by choosing none', async () => {
    draw(<MemberDialog organisation="oxbow" member={{ ...NELL, role: 'finance' }} onClose={closed} />);
    const some = screen.getByLabelText('Orders plans of some services only');
    expect(screen.queryByRole('group', { name: 'Services' })).toBeNull();
    fireEvent.click(some);
    fireEvent.click(await screen.findByLabelText('Backup'));
    press('Save');
    await waitFor(() => expect(asked).toHaveLength(2));
    expect(asked[1]).toMatchObject({ method: 'PUT', body: { services: ['backup'] } });
  });

  it('says why something cannot be taken back', async () => {
    draw(<MemberDialog organisation="oxbow" member={NELL} onClose={closed} />);
    fireEvent.click(screen.getByLabelText(/^Disabled/));
    press('Save');
    await screen.findByText('Nell is disabled now.');
    answer = () => Promise.reject(new Refusal(409, 'conflict', 'somebody else changed it'));
    press('Undo');
    expect(await screen.findByText('It cannot be taken back: somebody else changed it')).toBeInTheDocument();
  });

  it('is removed instead', async () => {
    draw(<MemberDialog organisation="oxbow" member={NELL} onClose={closed} />);
    press('Remove from members');
    await waitFor(() => expect(closed).toHaveBeenCalled());
    expect(asked.map((each) => each.method)).toEqual(['DELETE']);
  });
});

describe('a program that was planned', () => {
  it('has its token collected once, which is shown, or is given up', async () => {
    answer = () =>
      Promise.resolve({ data: { name: 'Till sync', secret: 'gdm_x', expires_at: '2026-12-28' } });
    draw(<Programs />);
    fireEvent.click(await screen.findByRole('button', { name: 'Collect the token of Till sync' }));
    expect(await screen.findByText(/lasts until 2026-12-28/)).toBeInTheDocument();
    expect(asked).toEqual([{ method: 'POST', path: '/api/v1/programs/{program}/token', body: undefined }]);
  });
});

describe('a token', () => {
  it('can do no more than who makes it, there', async () => {
    answer = () =>
      Promise.resolve({ data: { name: 'm', secret: 'gdm_x', expires_at: '2027-02-01T00:00:00Z' } });
    draw(<TokenDialog onClose={closed} />);
    const roles = () => {
      fireEvent.mouseDown(screen.getByRole('combobox', { name: /^Role/ }));
      const found = screen.getAllByRole('option').map((each) => each.textContent?.split(':')[0]);
      fireEvent.click(screen.getByRole('option', { name: /^sender/ }));
      return found;
    };
    expect(roles()).toEqual(['finance', 'viewer', 'sender']);
    fireEvent.mouseDown(screen.getByRole('combobox', { name: /^For/ }));
    fireEvent.click(screen.getByRole('option', { name: 'Saltmarsh' }));
    expect(roles()).toEqual(['viewer', 'sender']);
    type(/^Name/, 'meter');
    type(/^Days/, '0');
    press('Make it');
    expect(await screen.findByText('A whole number of days')).toBeInTheDocument();
    type(/^Days/, '30');
    press('Make it');
    expect(await screen.findByText(/it lasts until 2027-02-01/)).toBeInTheDocument();
    expect(asked[0]?.body).toEqual({ organisation: 'saltmarsh', name: 'meter', role: 'sender', days: 30 });
  });
});
