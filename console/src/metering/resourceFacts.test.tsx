/** What is known of a resource, and what is left out where nothing is. */
import { screen, waitFor } from '@testing-library/react';
import { describe, expect, it, vi } from 'vitest';
import { api, type Schemas } from '../shared/api';
import { drawn } from '../shared/drawn.testing';
import { ResourceFacts } from './ResourceFacts';

const KNOWN: Schemas['ResourceFactsBody'] = {
  ...{ organisation: 'tarnwick', resource: 'vm-1', first_used: '2026-09-03', last_used: '2026-09-07' },
  ...{ quiet_days: 28, made_by: 'Vera Holm' },
  facts: [
    { name: 'tag:team', value: 'night', feed: 'Cumulant' },
    { name: 'size', value: 'small', feed: null },
  ],
};
const answer = (data: unknown) => ({ data, response: new Response() }) as never;

describe('a resource', () => {
  it('is told with who made it, its tags, and how long it is quiet', async () => {
    vi.spyOn(api, 'GET').mockResolvedValue(answer(KNOWN));
    drawn(<ResourceFacts organisation="tarnwick" name="vm-1" />);
    expect(await screen.findByText('Vera Holm')).toBeVisible();
    expect(screen.getByText(/quiet for 28 days/)).toBeVisible();
    expect(screen.getByTitle('told by feed Cumulant')).toHaveTextContent('team night');
    expect(screen.getByTitle('what its usage is priced by')).toHaveTextContent('size small');
  });

  it('of which nothing is known has no such section', async () => {
    const get = vi
      .spyOn(api, 'GET')
      .mockResolvedValue(answer({ ...KNOWN, first_used: null, last_used: null, facts: [] }));
    drawn(<ResourceFacts organisation="tarnwick" name="vm-1" />);
    await waitFor(() => expect(get).toHaveBeenCalled());
    expect(screen.queryByText('What it is')).toBeNull();
  });
});
