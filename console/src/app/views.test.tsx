import { fireEvent, render, screen } from '@testing-library/react';
import { MemoryRouter } from 'react-router';
import { describe, expect, it, vi } from 'vitest';
import { tree } from '../organisations/organisations';
import type { Organisation } from '../organisations/organisations';
import { DataTable } from '../shared/DataTable';
import { compare } from '../shared/decimal';
import { RowLink } from '../shared/RowLink';
import { Query } from '../shared/States';

const organisation = (slug: string, parent: string | null): Organisation => ({
  id: slug,
  type: 'tenant',
  slug,
  name: slug.toUpperCase(),
  country: 'IE',
  currency: 'EUR',
  billing_zone: 'UTC',
  children: 0,
  cost_centre: null,
  segment: null,
  state: 'active',
  tags: [],
  parent,
  role: null,
});

describe('the tree', () => {
  const all = [
    organisation('b', 'a'),
    organisation('c', 'b'),
    organisation('a', 'unseen'),
    organisation('d', 'a'),
  ];

  it('puts each after its parent and those at the edge at the top', () => {
    expect(tree(all, '').map((each) => [each.organisation.slug, each.depth])).toEqual([
      ['a', 0],
      ['b', 1],
      ['c', 2],
      ['d', 1],
    ]);
  });

  it('keeps what leads to a name that is searched', () => {
    expect(tree(all, 'C').map((each) => each.organisation.slug)).toEqual(['a', 'b', 'c']);
  });
});

interface Row {
  name: string;
  amount: string;
}

describe('a table', () => {
  const rows: Row[] = [
    { name: 'x', amount: '9' },
    { name: 'y', amount: '10' },
  ];
  const columns = [
    { key: 'name', title: 'Name', cell: (row: Row) => row.name, total: 'Total' },
    {
      key: 'amount',
      title: 'Amount',
      number: true,
      cell: (row: Row) => row.amount,
      order: (a: Row, b: Row) => compare(a.amount, b.amount),
    },
  ];
  const names = () =>
    screen
      .getAllByRole('row')
      .slice(1, 3)
      .map((row) => row.textContent);

  it('sorts by value both ways and opens by click and key', () => {
    const open = vi.fn();
    render(
      <MemoryRouter>
        <DataTable
          name="t"
          label="T"
          rows={rows}
          rowKey={(row) => row.name}
          columns={columns}
          onOpen={open}
        />
      </MemoryRouter>,
    );
    fireEvent.click(screen.getByRole('button', { name: 'Amount' }));
    expect(names()).toEqual(['x9', 'y10']);
    fireEvent.click(screen.getByRole('button', { name: /Amount/ }));
    expect(names()).toEqual(['y10', 'x9']);
    const first = screen.getAllByRole('row')[1];
    if (!first) throw new Error('no row');
    fireEvent.keyDown(first, { key: 'Enter' });
    expect(open).toHaveBeenCalledWith(rows[1]);
  });

  it('has what a row opens as a link, which a plain click leaves to the row', () => {
    const open = vi.fn();
    const linked = { key: 'name', title: 'Name', cell: () => <RowLink to="/there">x9</RowLink> };
    render(
      <MemoryRouter>
        <DataTable
          name="l"
          label="L"
          rows={rows.slice(0, 1)}
          rowKey={() => 'x'}
          columns={[linked]}
          onOpen={open}
        />
      </MemoryRouter>,
    );
    const link = screen.getByRole('link', { name: 'x9' });
    expect(link.getAttribute('href')).toBe('/there');
    expect(fireEvent.click(link)).toBe(false);
    expect(open).toHaveBeenCalledTimes(1);
    expect(fireEvent.click(link, { ctrlKey: true })).toBe(true);
    expect(open).toHaveBeenCalledTimes(1);
  });
});

describe('a view', () => {
  const draw = (query: object) =>
    render(<Query query={query as never}>{(data: string) => <p>{data}</p>}</Query>);

  it('says that it failed, with a way on', () => {
    const refetch = vi.fn();
    draw({ isError: true, error: new Error('the service does not answer'), refetch });
    expect(screen.getByRole('alert')).toHaveTextContent('the service does not answer');
    fireEvent.click(screen.getByRole('button', { name: 'Try again' }));
    expect(refetch).toHaveBeenCalled();
  });

  it('loads, then is filled', () => {
    const { rerender } = draw({ isError: false, data: undefined });
    expect(screen.getByRole('status')).toBeInTheDocument();
    rerender(
      <Query query={{ isError: false, data: 'here' } as never}>{(data: string) => <p>{data}</p>}</Query>,
    );
    expect(screen.getByText('here')).toBeInTheDocument();
  });
});
