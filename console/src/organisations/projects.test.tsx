/** Projects as a tree: what is sent, what may be above what, and who is asked about people and levels. */
import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { Projects } from '../app/organisation/Projects';
import { type Session, sessionOptions } from '../access/session';
import { membersOptions } from '../access/members';
import { api } from '../shared/api';
import { drawn, press, type } from '../shared/drawn.testing';
import { type Organisation, projectsOptions } from './organisations';
import { levelsOptions, projectPeopleOptions } from './projects';

const SCHOOLS = { slug: 'schools', name: 'Copperbeech Schools' } as Organisation;
const project = (slug: string, level: number, parent: string | null, cost_centre: string | null = null) => ({
  ...{ id: slug, organisation: 'schools', slug, name: slug.toUpperCase(), cost_centre, parent, level },
  version: 4,
});
const PROJECTS = [
  project('primary', 1, null),
  project('lane', 2, 'primary', 'C-1'),
  project('second', 1, null),
];
const sent: { method: string; path: string; body: unknown }[] = [];

function draw(home: string, levels: string[] = ['Division', 'School']): void {
  const rights = ['read', 'manage organisations'];
  drawn(<Projects organisation={SCHOOLS} />, [
    [
      sessionOptions.queryKey,
      { memberships: [{ organisation: home, name: home, type: 'tenant', rights }] } as unknown as Session,
    ],
    [projectsOptions('schools').queryKey, PROJECTS],
    [levelsOptions('schools').queryKey, levels],
    [projectPeopleOptions('schools', 'lane').queryKey, { owner: null, members: [] }],
    [membersOptions('schools').queryKey, [{ email: 'noor@x.example', name: 'Noor', disabled: false }]],
  ]);
}

beforeEach(() => {
  sent.length = 0;
  for (const method of ['POST', 'PATCH', 'PUT'] as const)
    vi.spyOn(api, method).mockImplementation(((path: string, options: { body: object }) => {
      sent.push({ method, path, body: options.body });
      return Promise.resolve({ data: { ...PROJECTS[1], ...options.body, version: 5, names: [] } });
    }) as never);
  vi.spyOn(api, 'GET').mockResolvedValue({ data: { items: [], names: [] } } as never);
});

const last = async () => {
  await waitFor(() => expect(sent.length).toBeGreaterThan(0));
  return sent.at(-1);
};

describe('the tree of projects', () => {
  it('says on which level each stands', () => {
    draw('schools');
    const rows = screen.getAllByRole('row').slice(1);
    expect(rows.map((row) => within(row).getAllByRole('cell')[1]?.textContent)).toEqual([
      'Division',
      'School',
      'Division',
    ]);
  });

  it('is changed over what was read, and never put under what is below', async () => {
    draw('schools');
    press('Change PRIMARY');
    fireEvent.mouseDown(screen.getByLabelText('Under'));
    expect(screen.getAllByRole('option').map((each) => each.textContent?.trim())).toEqual([
      'nothing: at the top',
      'SECOND',
    ]);
    fireEvent.click(screen.getByRole('option', { name: 'SECOND' }));
    type(/^Cost centre/, ' C-9 ');
    press('Save');
    const body = { version: 4, name: 'PRIMARY', cost_centre: 'C-9', parent: 'second' };
    expect((await last())?.body).toEqual(body);
  });

  it('leaves its people and its levels to the organisation itself', async () => {
    draw('schools');
    press('People of LANE');
    fireEvent.mouseDown(await screen.findByLabelText('Answers for it'));
    fireEvent.click(screen.getByRole('option', { name: 'Noor' }));
    press('Save');
    expect((await last())?.body).toEqual({ owner: 'noor@x.example', members: [] });
  });

  it('has levels named from the top', async () => {
    draw('schools', []);
    expect(screen.queryByText('Level')).toBeNull();
    press('Name the levels');
    type('Level 1', 'Division');
    type('Level 2', ' School ');
    press('Name them');
    expect((await last())?.body).toEqual({ names: ['Division', 'School'] });
  });

  it('is changed from above, without its people', () => {
    draw('bluefern');
    expect(screen.queryByRole('button', { name: 'People of LANE' })).toBeNull();
    expect(screen.queryByRole('button', { name: 'Name the levels' })).toBeNull();
    expect(screen.getByRole('button', { name: 'Change LANE' })).toBeInTheDocument();
  });
});
