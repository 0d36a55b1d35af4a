/** Lists of any length: what is chosen for one is kept, more of it is asked for, and a row opens by key. */
import { cleanup, fireEvent, screen, within } from '@testing-library/react';
import { beforeEach, expect, it, vi } from 'vitest';
import { drawn, press } from './drawn.testing';
import { Grid, type GridColumn, textColumn } from './Grid';
import { compare } from './decimal';

interface Row {
  name: string;
  amount: string;
}
const ROWS: Row[] = [
  { name: 'Item 10', amount: '9' },
  { name: 'Item 9', amount: '10.5' },
  { name: 'Item 1', amount: '-3' },
];
const COLUMNS: GridColumn<Row>[] = [
  textColumn('name', 'Name', (row) => row.name, { width: 120 }),
  {
    key: 'amount',
    title: 'Amount',
    number: true,
    cell: (row) => row.amount,
    text: (row) => row.amount,
    order: (left, right) => compare(left.amount, right.amount),
    width: 120,
  },
];
const opened = vi.fn();
const loaded = vi.fn();

beforeEach(() => {
  localStorage.clear();
  opened.mockClear();
  loaded.mockClear();
});

const draw = (more: Partial<Parameters<typeof Grid<Row>>[0]> = {}) =>
  drawn(
    <div style={{ width: 600, height: 400 }}>
      <Grid
        name="things"
        label="Things"
        columns={COLUMNS}
        rows={ROWS}
        rowKey={(row) => row.name}
        onOpen={opened}
        {...more}
      />
    </div>,
  );
const names = () =>
  screen
    .getAllByRole('row')
    .slice(1)
    .map((row) => within(row).getAllByRole('gridcell')[0]?.textContent);
const header = (name: string) => screen.getByRole('columnheader', { name });

it('sorts text as people do and numbers by value, the largest first where that is wanted', () => {
  draw({ first: 'amount' });
  expect(names()).toEqual(['Item 9', 'Item 10', 'Item 1']);
  fireEvent.click(header('Name'));
  expect(names()).toEqual(['Item 1', 'Item 9', 'Item 10']);
});

it('opens a row by click, and by the key from any of its cells', () => {
  draw();
  fireEvent.click(screen.getByText('10.5'));
  expect(opened).toHaveBeenLastCalledWith(ROWS[1]);
  fireEvent.keyDown(screen.getByText('-3'), { key: 'Enter' });
  expect(opened).toHaveBeenLastCalledWith(ROWS[2]);
});

it('says how many of how many there are, asks for more, and sorts only what is whole', () => {
  draw({ count: 1200, more: { loading: false, load: loaded }, first: 'amount' });
  expect(screen.getByRole('status')).toHaveTextContent(/3 of 1.200/);
  press('Load more');
  expect(loaded).toHaveBeenCalledTimes(1);
  fireEvent.click(header('Name'));
  expect(names()).toEqual(['Item 10', 'Item 9', 'Item 1']);
});

it('keeps in this browser which columns one chose', () => {
  localStorage.setItem('gradumen.list.things', JSON.stringify({ columns: { amount: false } }));
  draw();
  expect(screen.queryByRole('columnheader', { name: 'Amount' })).toBeNull();
  cleanup();
  draw({ name: 'others' });
  expect(header('Amount')).toBeInTheDocument();
});
