/** A tree of thousands is asked for customer by customer; a customer is found by typing. */
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, fireEvent, render, screen, waitFor, within } from '@testing-library/react';
import { type ReactElement, useState } from 'react';
import { MemoryRouter } from 'react-router';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { rememberSignedIn, sessionOptions, type Session } from '../access/session';
import { api } from '../shared/api';
import { drawn } from '../shared/drawn.testing';
import { CustomerPicker } from './CustomerPicker';
import { LargeTree } from './LargeTree';
import OrganisationsPage from './OrganisationsPage';
import type { Organisation } from './organisations';

const MEMBER = { organisation: 'tarnwick', name: 'Tarnwick Cloud', type: 'provider', rights: [] };
const SESSION = { memberships: [MEMBER] } as unknown as Session;
const one = (slug: string, parent: string | null, children = 0) =>
  ({ slug, name: `The ${slug}`, type: children ? 'reseller' : 'tenant', parent, children }) as Organisation;
const ALL = [
  one('tarnwick', null, 151),
  one('oxbow', 'tarnwick', 2),
  one('saltmarsh', 'oxbow'),
  one('thistledown', 'oxbow'),
  ...Array.from({ length: 150 }, (_, number) => one(`wide-${String(number).padStart(3, '0')}`, 'tarnwick')),
];
interface Asked {
  parent?: string;
  search?: string;
  limit: number;
}
const lists: Asked[] = [];

beforeEach(() => {
  lists.length = 0;
  rememberSignedIn(true);
  vi.spyOn(api, 'GET').mockImplementation(((
    path: string,
    options?: { params: { query?: Asked; path?: { organisation: string } } },
  ) => {
    if (path === '/api/v1/organisations/{organisation}')
      return Promise.resolve({ data: ALL.find((each) => each.slug === options?.params.path?.organisation) });
    if (path !== '/api/v1/organisations') return Promise.resolve({ data: { items: [] } });
    const query = options?.params.query as Asked;
    lists.push(query);
    const found = ALL.filter(
      (each) =>
        (query.parent === undefined || each.parent === query.parent) &&
        each.name.toLowerCase().includes((query.search ?? '').toLowerCase()),
    );
    const items = found.slice(0, query.limit);
    return Promise.resolve({
      data: { items, next: found.length > items.length ? items.at(-1)?.slug : null },
    });
  }) as never);
});
afterEach(() => {
  vi.restoreAllMocks();
  rememberSignedIn(false);
});

function draw(view: ReactElement): void {
  const client = new QueryClient({ defaultOptions: { queries: { staleTime: Infinity, retry: false } } });
  client.setQueryData(sessionOptions.queryKey, SESSION);
  render(
    <QueryClientProvider client={client}>
      <MemoryRouter>{view}</MemoryRouter>
    </QueryClientProvider>,
  );
}

describe('the filters of organisations', () => {
  it('ask the service by state and tag, also where there are few', async () => {
    drawn(<OrganisationsPage />, [[sessionOptions.queryKey, SESSION]], '/?state=suspended&tag=coast');
    await waitFor(() =>
      expect(lists).toContainEqual({ search: '', limit: 100, state: 'suspended', tag: 'coast' }),
    );
    expect(screen.getByRole('combobox', { name: 'State' })).toHaveTextContent('suspended');
    fireEvent.change(screen.getByLabelText('Tag'), { target: { value: '' } });
    await waitFor(() => expect(lists).toContainEqual({ search: '', limit: 100, state: 'suspended' }));
  });
});

describe('a tree of thousands', () => {
  const tree = (search = '') => draw(<LargeTree search={search} onOpen={vi.fn()} />);

  it('shows the first customers, and more of them when asked', async () => {
    tree();
    expect(await screen.findByText('The wide-098')).toBeInTheDocument();
    expect(screen.queryByText('The wide-099')).toBeNull();
    expect(screen.getByText(/The first 100 customers of The tarnwick/)).toBeInTheDocument();
    fireEvent.click(screen.getByRole('button', { name: 'Show 100 more' }));
    expect(await screen.findByText('The wide-149')).toBeInTheDocument();
    await waitFor(() => expect(screen.queryByText(/The first/)).toBeNull());
  });

  it('asks for the customers of a reseller only when it is opened', async () => {
    tree();
    const twig = await screen.findByRole('button', { name: 'Customers of The oxbow, 2' });
    expect(lists.map((each) => each.parent)).toEqual(['tarnwick']);
    fireEvent.click(twig);
    expect(await screen.findByText('The saltmarsh')).toBeInTheDocument();
    expect(lists.map((each) => each.parent)).toEqual(['tarnwick', 'oxbow']);
    expect(twig).toHaveAttribute('aria-expanded', 'true');
    fireEvent.click(twig);
    expect(screen.queryByText('The saltmarsh')).toBeNull();
  });

  it('is searched by the service', async () => {
    tree('salt');
    expect(await screen.findByText('The saltmarsh')).toBeInTheDocument();
    expect(lists).toEqual([{ search: 'salt', limit: 100 }]);
    cleanup();
    tree('nobody');
    expect(await screen.findByText('No organisation has that in its name')).toBeInTheDocument();
  });
});

describe('a customer', () => {
  function Picking() {
    const [chosen, setChosen] = useState('oxbow');
    return (
      <>
        <CustomerPicker label="For" value={chosen} onChange={setChosen} />
        <p>chosen: {chosen}</p>
      </>
    );
  }

  it('is found by typing, and who was chosen stays until then', async () => {
    draw(<Picking />);
    const field = screen.getByRole('combobox', { name: 'For' });
    await waitFor(() => expect(field).toHaveValue('The oxbow'));
    field.focus();
    fireEvent.change(field, { target: { value: 'wide-14' } });
    const options = within(await screen.findByRole('listbox'));
    await waitFor(() => expect(options.getAllByRole('option')).toHaveLength(10));
    expect(field).toHaveValue('wide-14');
    expect(screen.getByText('chosen: oxbow')).toBeInTheDocument();
    fireEvent.click(options.getByRole('option', { name: 'The wide-147' }));
    expect(screen.getByText('chosen: wide-147')).toBeInTheDocument();
    await waitFor(() => expect(field).toHaveValue('The wide-147'));
  });
});
