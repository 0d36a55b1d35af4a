import { QueryClientProvider, useQuery, useQueryClient } from '@tanstack/react-query';
import { fireEvent, render, screen } from '@testing-library/react';
import { describe, expect, it, vi } from 'vitest';
import { rememberSignedIn, sessionOptions, useSession } from '../access/session';
import { Refusal, api } from '../shared/api';
import { makeQueries } from './queries';

function View({ code }: { code: string }) {
  const session = useSession();
  useQuery({ queryKey: ['figures'], queryFn: () => Promise.reject(new Refusal(401, code, 'it is over')) });
  return <div>{session.data ? 'signed in' : 'sign in again'}</div>;
}

function draw(code: string): void {
  rememberSignedIn(true);
  vi.spyOn(api, 'GET').mockRejectedValue(new Refusal(401, 'not_signed_in', 'it is over'));
  const queries = makeQueries();
  queries.setQueryData(sessionOptions.queryKey, { csrf: 'x', memberships: [] } as never);
  render(
    <QueryClientProvider client={queries}>
      <View code={code} />
    </QueryClientProvider>,
  );
}

describe('a session that has ended', () => {
  it('is noticed by whichever call is refused first', async () => {
    draw('not_signed_in');
    expect(await screen.findByText('sign in again')).toBeInTheDocument();
  });

  it('is not what every refusal means', async () => {
    draw('forbidden');
    await new Promise((done) => setTimeout(done, 30));
    expect(screen.getByText('signed in')).toBeInTheDocument();
  });
});

/** Shows what is listed, and that it is changed once the button is pressed. */
function Listed({ ask }: { ask: () => Promise<string> }) {
  const queries = useQueryClient();
  const { data } = useQuery({ queryKey: ['listed'], queryFn: ask });
  return (
    <button onClick={() => void queries.invalidateQueries({ queryKey: ['listed'] })}>
      {data ?? 'asked'}
    </button>
  );
}

describe('what is told to be otherwise', () => {
  it('is asked anew, also while it is being asked for the first time', async () => {
    let answer: (said: string) => void = () => undefined;
    const late = new Promise<string>((resolve) => (answer = resolve));
    const ask = vi.fn().mockReturnValueOnce(late).mockResolvedValue('as it is now');
    render(
      <QueryClientProvider client={makeQueries()}>
        <Listed ask={ask} />
      </QueryClientProvider>,
    );
    fireEvent.click(screen.getByRole('button', { name: 'asked' }));
    answer('as it was before');
    expect(await screen.findByText('as it is now')).toBeInTheDocument();
    expect(ask).toHaveBeenCalledTimes(2);
  });
});
