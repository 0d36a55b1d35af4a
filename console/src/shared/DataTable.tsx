/** Dense tables: sticky header and totals, sortable by header, movable by keyboard. */
import { Box, ButtonBase } from '@mui/material';
import { type KeyboardEvent, type ReactNode, useMemo } from 'react';
import { useSearchParams } from 'react-router';

export interface Column<Row> {
  key: string;
  title: ReactNode;
  cell: (row: Row) => ReactNode;
  /** Aligned on the right, for amounts and quantities. */
  number?: boolean;
  /** Never broken into lines, for days and moments. */
  whole?: boolean;
  /** Sorts by header; below zero when the first row goes first. */
  order?: (left: Row, right: Row) => number;
  width?: number | string;
  total?: ReactNode;
}

/** Rows that belong together below a heading, with what they come to in the last column. */
export interface RowGroup<Row> {
  key: string;
  title: ReactNode;
  /** How far in the heading stands: 0 or 1. */
  depth?: number;
  total?: ReactNode;
  rows: readonly Row[];
  /** What stands below them. */
  after?: ReactNode;
}

interface Props<Row> {
  name: string;
  columns: Column<Row>[];
  rows: readonly Row[];
  /** In place of `rows`; sorting leaves each where it belongs. */
  groups?: readonly RowGroup<Row>[];
  rowKey: (row: Row) => string;
  onOpen?: (row: Row) => void;
  selected?: string | null;
  detail?: (row: Row) => ReactNode;
  label: string;
  height?: number | string;
}

const CELL = {
  px: 1,
  height: 36,
  borderBottom: '1px solid',
  borderColor: 'hairline',
  fontSize: '0.84rem',
} as const;

export function DataTable<Row>(props: Props<Row>) {
  const { name, columns, rows, groups, rowKey, onOpen, selected, detail, label, height } = props;
  const [params, setParams] = useSearchParams();
  const sort = params.get(`${name}.sort`);
  const descending = sort?.startsWith('-') ?? false;
  const key = sort?.replace('-', '');
  const sorted = useMemo(() => {
    const order = columns.find((column) => column.key === key)?.order;
    const inOrder = (some: readonly Row[]) =>
      order ? [...some].sort((left, right) => (descending ? order(right, left) : order(left, right))) : some;
    return groups
      ? groups.map((group) => ({ ...group, rows: inOrder(group.rows) }))
      : [{ key: '', title: null, rows: inOrder(rows) }];
  }, [columns, rows, groups, key, descending]);

  const toggle = (column: Column<Row>) =>
    setParams(
      (before) => {
        const next = key === column.key && !descending ? `-${column.key}` : column.key;
        before.set(`${name}.sort`, next);
        return before;
      },
      { replace: true },
    );

  const move = (event: KeyboardEvent<HTMLTableRowElement>, row: Row) => {
    const current = event.currentTarget;
    if (event.target !== current) return;
    if (event.key === 'Enter' || event.key === ' ') {
      event.preventDefault();
      onOpen?.(row);
    } else if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      event.preventDefault();
      const all = [...(current.closest('table')?.querySelectorAll<HTMLElement>('tr[tabindex]') ?? [])];
      all[all.indexOf(current) + (event.key === 'ArrowDown' ? 1 : -1)]?.focus();
    }
  };

  const totals = columns.some((column) => column.total !== undefined);
  return (
    <Box
      role="region"
      aria-label={label}
      // Without rows to move through, the region itself takes the keys that scroll.
      tabIndex={onOpen ? undefined : 0}
      sx={{ overflow: 'auto', maxHeight: height, minWidth: 0 }}
    >
      <Box
        component="table"
        aria-label={label}
        sx={{ width: '100%', borderCollapse: 'separate', borderSpacing: 0 }}
      >
        <Box component="thead">
          <tr>
            {columns.map((column) => (
              <Box
                component={column.title === '' ? 'td' : 'th'}
                key={column.key}
                scope={column.title === '' ? undefined : 'col'}
                aria-sort={key === column.key ? (descending ? 'descending' : 'ascending') : undefined}
                sx={{
                  ...CELL,
                  position: 'sticky',
                  top: 0,
                  zIndex: 1,
                  bgcolor: 'background.default',
                  borderColor: 'divider',
                  textAlign: column.number ? 'right' : 'left',
                  fontWeight: 560,
                  fontSize: '0.78rem',
                  color: 'text.secondary',
                  whiteSpace: 'nowrap',
                  width: column.width,
                }}
              >
                {column.order ? (
                  <ButtonBase
                    onClick={() => toggle(column)}
                    sx={{ font: 'inherit', color: 'inherit', gap: 0.5 }}
                  >
                    {column.title}
                    <span aria-hidden="true">{key === column.key ? (descending ? '↓' : '↑') : ''}</span>
                  </ButtonBase>
                ) : (
                  column.title
                )}
              </Box>
            ))}
          </tr>
        </Box>
        {sorted.map((group: RowGroup<Row>) => (
          <tbody key={group.key}>
            {group.title !== null && <GroupHead group={group} columns={columns.length} />}
            {group.rows.map((row) => {
              const open = selected === rowKey(row);
              const unfolded = open ? detail?.(row) : null;
              return [
                <Box
                  component="tr"
                  key={rowKey(row)}
                  tabIndex={onOpen ? 0 : undefined}
                  onClick={onOpen && (() => onOpen(row))}
                  onKeyDown={(event: KeyboardEvent<HTMLTableRowElement>) => move(event, row)}
                  sx={{
                    cursor: onOpen ? 'pointer' : undefined,
                    bgcolor: open ? 'action.selected' : undefined,
                    '&:hover': onOpen ? { bgcolor: 'action.hover' } : undefined,
                    '&:focus-visible': { outlineOffset: -2 },
                  }}
                >
                  {columns.map((column, index) => (
                    <Box
                      component="td"
                      key={column.key}
                      sx={{
                        ...CELL,
                        textAlign: column.number ? 'right' : 'left',
                        whiteSpace: column.number || column.whole ? 'nowrap' : undefined,
                        fontVariantNumeric: column.number ? 'tabular-nums' : undefined,
                      }}
                    >
                      {detail && index === 0 && <Disclosure open={open} />}
                      {column.cell(row)}
                    </Box>
                  ))}
                </Box>,
                unfolded && (
                  <tr key={`${rowKey(row)} detail`}>
                    <Box
                      component="td"
                      colSpan={columns.length}
                      sx={{ p: 0, borderBottom: '1px solid', borderColor: 'divider' }}
                    >
                      {unfolded}
                    </Box>
                  </tr>
                ),
              ];
            })}
            {group.after && (
              <tr>
                <td colSpan={columns.length}>{group.after}</td>
              </tr>
            )}
          </tbody>
        ))}
        {totals && (
          <tfoot>
            <tr>
              {columns.map((column) => (
                <Box
                  component="td"
                  key={column.key}
                  sx={{
                    ...CELL,
                    position: 'sticky',
                    bottom: 0,
                    bgcolor: 'background.default',
                    borderTop: '1px solid',
                    borderColor: 'text.secondary',
                    borderBottom: 0,
                    fontWeight: 620,
                    textAlign: column.number ? 'right' : 'left',
                    whiteSpace: 'nowrap',
                  }}
                >
                  {column.total}
                </Box>
              ))}
            </tr>
          </tfoot>
        )}
      </Box>
    </Box>
  );
}

function GroupHead<Row>({ group, columns }: { group: RowGroup<Row>; columns: number }) {
  const cell = {
    ...CELL,
    fontSize: group.depth ? '0.84rem' : '0.9rem',
    fontWeight: 620,
    verticalAlign: 'bottom',
  };
  return (
    <tr>
      <Box
        component="th"
        scope="rowgroup"
        colSpan={columns - 1}
        sx={{ ...cell, height: group.depth ? 40 : 48, textAlign: 'left', pb: 0.75, pl: group.depth ? 1 : 0 }}
      >
        {group.title}
      </Box>
      <Box component="td" sx={{ ...cell, textAlign: 'right', whiteSpace: 'nowrap', pb: 0.75 }}>
        {group.total}
      </Box>
    </tr>
  );
}

/** Whether a row is unfolded, by shape and in words. */
function Disclosure({ open }: { open: boolean }) {
  return (
    <Box component="span" sx={{ display: 'inline-block', width: 16, color: 'text.secondary' }}>
      <svg width="9" height="9" viewBox="0 0 10 10" role="img" aria-label={open ? 'unfolded' : 'folded'}>
        <path
          d={open ? 'M1 3l4 4 4-4' : 'M3 1l4 4-4 4'}
          fill="none"
          stroke="currentColor"
          strokeWidth="1.6"
        />
      </svg>
    </Box>
  );
}

/** Orders texts as people do. */
export const byText =
  <Row,>(read: (row: Row) => string | null | undefined) =>
  (left: Row, right: Row) =>
    (read(left) ?? '').localeCompare(read(right) ?? '', 'en', { numeric: true });
