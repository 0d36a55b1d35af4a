/**
 * Lists of any length: rows in virtual view, columns that can be chosen and are remembered, export, and the service's
 * pages one after the other; sums are those of the whole list.
 */
import { Box, Button } from '@mui/material';
import {
  DataGrid,
  type GridColDef,
  type GridColumnVisibilityModel,
  type GridDensity,
} from '@mui/x-data-grid';
import { type ReactNode, useState } from 'react';
import { formatCount } from './decimal';

declare module '@mui/x-data-grid' {
  interface BasePopperPropsOverrides {
    role?: string;
    'aria-label'?: string;
  }
}

export interface GridColumn<Row> {
  key: string;
  title: string;
  cell: (row: Row) => ReactNode;
  /** What is exported and sorted by, where the cell is more than its text. */
  text: (row: Row) => string;
  number?: boolean;
  /** Below zero when the first row goes first; sorts what is loaded. */
  order?: (left: Row, right: Row) => number;
  width?: number;
  flex?: number;
}

/** A column of plain text, sorted as people do. */
export const textColumn = <Row,>(
  key: string,
  title: string,
  read: (row: Row) => string,
  size: { width?: number; flex?: number },
): GridColumn<Row> => ({
  key,
  title,
  cell: read,
  text: read,
  order: (left, right) => read(left).localeCompare(read(right), 'en', { numeric: true }),
  ...size,
});

interface Kept {
  columns: GridColumnVisibilityModel;
  density: GridDensity;
}

/** What one chose for a list, kept in this browser. */
function useChosen(name: string): [Kept, (next: Partial<Kept>) => void] {
  const place = `gradumen.list.${name}`;
  const [kept, setKept] = useState<Kept>(() => ({
    columns: {},
    density: 'standard',
    ...(JSON.parse(localStorage.getItem(place) ?? '{}') as Partial<Kept>),
  }));
  return [
    kept,
    (next) => {
      const all = { ...kept, ...next };
      localStorage.setItem(place, JSON.stringify(all));
      setKept(all);
    },
  ];
}

export function Grid<Row extends object>(props: {
  name: string;
  label: string;
  columns: GridColumn<Row>[];
  rows: readonly Row[];
  rowKey: (row: Row) => string;
  onOpen?: (row: Row) => void;
  /** How many there are in all, those not loaded yet too, where that is known. */
  count?: number | undefined;
  /** Rows as high as what stands in them. */
  tall?: boolean;
  /** The column by which the largest come first to begin with. */
  first?: string;
  sums?: ReactNode;
  more?: { loading: boolean; load: () => void } | undefined;
}) {
  const { name, label, columns, rows, rowKey, onOpen, count, tall, first, sums, more } = props;
  const [kept, keep] = useChosen(name);
  const drawn = columns.map(({ key, title, cell, text, number, order, width, flex }): GridColDef<Row> => ({
    field: key,
    headerName: title,
    valueGetter: (_, row) => text(row),
    renderCell: ({ row }) => cell(row),
    align: number ? 'right' : 'left',
    headerAlign: number ? 'right' : 'left',
    // Only what is loaded can be put in another order here.
    sortable: order !== undefined && more === undefined,
    ...(order
      ? {
          sortComparator: (_, __, left, right) =>
            order(left.api.getRow(left.id) as Row, right.api.getRow(right.id) as Row),
        }
      : {}),
    ...(width ? { width } : {}),
    ...(flex ? { flex, minWidth: 110 } : {}),
  }));
  return (
    <Box sx={{ minWidth: 0 }}>
      <DataGrid
        aria-label={label}
        rows={rows}
        columns={drawn}
        getRowId={rowKey}
        {...(first && !more
          ? { initialState: { sorting: { sortModel: [{ field: first, sort: 'desc' }] } } }
          : {})}
        rowHeight={36}
        {...(tall ? { getRowHeight: () => 'auto' as const } : {})}
        columnHeaderHeight={36}
        density={kept.density}
        onDensityChange={(density) => keep({ density })}
        columnVisibilityModel={kept.columns}
        onColumnVisibilityModelChange={(next) => keep({ columns: next })}
        disableColumnFilter
        disableRowSelectionOnClick
        hideFooter
        showToolbar
        onRowClick={onOpen && (({ row }) => onOpen(row))}
        onCellKeyDown={(params, event) => {
          if (event.key === 'Enter' && onOpen) {
            event.preventDefault();
            onOpen(params.row);
          }
        }}
        slotProps={{
          // What opens stands outside the page's regions, so it is one of its own.
          basePopper: { role: 'region', 'aria-label': 'Choices of this list' },
          toolbar: {
            showQuickFilter: false,
            printOptions: { disableToolbarButton: true },
            csvOptions: { fileName: name, utf8WithBom: true },
          },
        }}
        sx={{
          border: 0,
          maxHeight: '72vh',
          fontSize: '0.84rem',
          bgcolor: 'background.default',
          '& .MuiDataGrid-columnHeader, & .MuiDataGrid-filler, & .MuiDataGrid-scrollbarFiller': {
            bgcolor: 'background.default',
          },
          '& .MuiDataGrid-columnHeaderTitle': {
            fontSize: '0.78rem',
            fontWeight: 560,
            color: 'text.secondary',
          },
          '& .MuiDataGrid-cell--textRight': { fontVariantNumeric: 'tabular-nums' },
          '& .MuiDataGrid-cell': {
            ...(tall ? { py: 0.75, alignContent: 'center', overflowWrap: 'anywhere', lineHeight: 1.4 } : {}),
          },
          '& .MuiDataGrid-row': { cursor: onOpen ? 'pointer' : undefined },
          '& .MuiDataGrid-toolbar': { minHeight: 34, p: 0, border: 0, bgcolor: 'background.default' },
        }}
      />
      <Box
        role="status"
        sx={{
          display: 'flex',
          flexWrap: 'wrap',
          alignItems: 'center',
          gap: 2,
          pt: 1,
          borderTop: '1px solid',
          borderColor: 'text.secondary',
          fontSize: '0.84rem',
        }}
      >
        <Box sx={{ color: 'text.secondary' }}>
          {count !== undefined && rows.length < count
            ? `${formatCount(rows.length)} of ${formatCount(count)}`
            : formatCount(rows.length)}
        </Box>
        {more && (
          <Button loading={more.loading} onClick={more.load}>
            Load more
          </Button>
        )}
        <Box sx={{ flex: 1 }} />
        {sums}
      </Box>
    </Box>
  );
}
