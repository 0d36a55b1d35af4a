/** The limits of all customers beside each other: typed over, seen what that leaves, set together or not at all. */
import { Alert, Box, Button, InputBase, Link as TextLink, TextField } from '@mui/material';
import { useInfiniteQuery, useMutation, useQueryClient } from '@tanstack/react-query';
import { type ChangeEvent, useRef, useState } from 'react';
import { Link } from 'react-router';
import { useSignedIn } from '../access/session';
import { compare, formatQuantity } from '../shared/decimal';
import { useFilters } from '../shared/filters';
import { Page } from '../shared/Page';
import { Empty, Failed, Loading } from '../shared/States';
import { useToast } from '../shared/Toasts';
import { formatUnit } from '../shared/units';
import { measureName } from './organisations';
import { OwnMeasures } from './OwnMeasures';
import {
  type MatrixCell,
  type MatrixMeasure,
  type MatrixRow,
  NONE,
  type Typed,
  changesOf,
  keyOf,
  leftWith,
  matrixOptions,
  readSheet,
  setLimits,
  writeSheet,
  written,
  wrongWith,
} from './quotaMatrix';

export default function QuotaMatrixPage() {
  const { home, mayAt } = useSignedIn();
  const [params, set] = useFilters();
  const search = params.get('search') ?? '';
  const matrix = useInfiniteQuery(matrixOptions(home.organisation, search));
  const pages = matrix.data?.pages ?? [];
  const rows = pages.flatMap((page) => page.items);
  return (
    <Page
      title="Limits of customers"
      lead={`What ${home.name} lets each of its customers have. What is typed over holds once it is saved, all of it or nothing.`}
      filters={
        <TextField
          label="Customer has"
          value={search}
          onChange={(event) => set('search', event.target.value)}
          sx={{ width: 220 }}
        />
      }
    >
      {matrix.isError && <Failed error={matrix.error} retry={() => void matrix.refetch()} />}
      {matrix.isPending && <Loading />}
      {matrix.isSuccess && !rows.length && (
        <Empty title={search ? 'No customer has that in its name' : 'There are no customers yet'}>
          {search ? (
            'Search for less.'
          ) : (
            <>
              Add one under <TextLink href="/organisations">Organisations</TextLink>; its limits stand here.
            </>
          )}
        </Empty>
      )}
      {rows.length > 0 && (
        <Matrix
          key={home.organisation}
          measures={pages[0]?.measures ?? []}
          rows={rows}
          giver={home.organisation}
        />
      )}
      {matrix.hasNextPage && (
        <Button
          onClick={() => void matrix.fetchNextPage()}
          loading={matrix.isFetchingNextPage}
          sx={{ mt: 1 }}
        >
          More customers
        </Button>
      )}
      {home.type === 'provider' && mayAt('manage quotas', home.organisation) && (
        <Box sx={{ mt: 4 }}>
          <OwnMeasures />
        </Box>
      )}
    </Page>
  );
}

function Matrix(props: { measures: MatrixMeasure[]; rows: MatrixRow[]; giver: string }) {
  const { measures, rows, giver } = props;
  const { mayAt } = useSignedIn();
  const queries = useQueryClient();
  const say = useToast();
  const [typed, setTyped] = useState<Typed>({});
  const [problems, setProblems] = useState<Record<string, string>>({});
  const [unread, setUnread] = useState('');
  const changes = changesOf(rows, typed);
  const odd = changes.some((each) => wrongWith(each.typed));
  const again = () => queries.invalidateQueries({ queryKey: ['quotas'] });
  const save = useMutation({
    mutationFn: () => setLimits(giver, changes),
    onSuccess: async (found) => {
      setProblems(found);
      if (Object.keys(found).length) return;
      const given = changes.every(({ cell }) => cell.given);
      const before = changes.map((each) => ({
        ...each,
        typed: written(each.cell),
        cell: { ...each.cell, version: each.cell.version + 1 },
      }));
      setTyped({});
      await again();
      say(
        changes.length === 1 ? '1 limit is set.' : `${changes.length} limits are set.`,
        // What was never given cannot be given back so.
        given
          ? async () => {
              await setLimits(giver, before);
              await again();
            }
          : undefined,
      );
    },
  });
  const read = async (event: ChangeEvent<HTMLInputElement>) => {
    const [file] = event.target.files ?? [];
    event.target.value = '';
    if (!file) return;
    try {
      const found = readSheet(await file.text(), measures, rows);
      setUnread('');
      setProblems({});
      setTyped((now) => ({ ...now, ...found }));
    } catch (problem) {
      setUnread(problem instanceof Error ? problem.message : 'The file cannot be read.');
    }
  };
  return (
    <>
      <Acts
        count={changes.length}
        may={mayAt('manage quotas', giver)}
        odd={odd}
        saving={save.isPending}
        onSave={() => save.mutate()}
        onDrop={() => {
          setTyped({});
          setProblems({});
        }}
        onRead={(event) => void read(event)}
        sheet={() => writeSheet(measures, rows)}
      />
      {(unread || save.isError || Object.keys(problems).length > 0) && (
        <Alert severity="error" variant="outlined" sx={{ mb: 2 }}>
          {unread ||
            save.error?.message ||
            `Nothing was set: ${Object.keys(problems).length} of ${changes.length} do not fit. Each says why.`}
        </Alert>
      )}
      <Box
        role="region"
        aria-label="Limits of customers"
        tabIndex={0}
        sx={{ overflowX: 'auto', border: '1px solid', borderColor: 'divider' }}
      >
        <Box component="table" sx={TABLE}>
          <thead>
            <tr>
              <th scope="col">Customer</th>
              {measures.map((each) => (
                <th key={each.measure} scope="col">
                  {measureName(each.measure, each.kind)}
                  {formatUnit(each.unit, '2') !== each.measure && (
                    <Box component="span" className="unit">
                      {formatUnit(each.unit, '2')}
                    </Box>
                  )}
                </th>
              ))}
            </tr>
            <tr className="left">
              <th scope="row">Free to pass on</th>
              {measures.map((each) => (
                <Left key={each.measure} measure={each} left={leftWith(each, rows, typed)} />
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={row.organisation}>
                <th scope="row">
                  <TextLink component={Link} to={`/organisations/${row.organisation}/quotas`} color="inherit">
                    {row.name}
                  </TextLink>
                </th>
                {measures.map((measure) => {
                  const cell = row.cells.find((each) => each.measure === measure.measure);
                  const key = keyOf(row.organisation, measure.measure);
                  return (
                    cell && (
                      <Cell
                        key={key}
                        cell={cell}
                        label={`${measureName(measure.measure)} of ${row.name}`}
                        typed={typed[key]}
                        problem={problems[key]}
                        onType={(text) => {
                          setTyped((now) => ({ ...now, [key]: text }));
                          setProblems((now) =>
                            Object.fromEntries(Object.entries(now).filter(([one]) => one !== key)),
                          );
                        }}
                      />
                    )
                  );
                })}
              </tr>
            ))}
          </tbody>
        </Box>
      </Box>
    </>
  );
}

const TABLE = {
  borderCollapse: 'collapse',
  width: '100%',
  fontSize: '0.86rem',
  'th, td': {
    borderBottom: '1px solid',
    borderColor: 'divider',
    textAlign: 'right',
    p: 0.75,
    verticalAlign: 'top',
  },
  'th:first-of-type': {
    textAlign: 'left',
    position: 'sticky',
    left: 0,
    bgcolor: 'background.default',
    minWidth: 150,
    pl: 1.5,
    zIndex: 1,
  },
  th: { fontWeight: 560, lineHeight: 1.3 },
  '.unit': { display: 'block', color: 'text.secondary', fontWeight: 400, fontSize: '0.78rem' },
  'th, .left td': { pr: 1.4 },
  '.left th, .left td': { color: 'text.secondary', fontWeight: 400 },
} as const;

/** What the giver has left with all that is typed. */
function Left({ measure, left }: { measure: MatrixMeasure; left: string | null }) {
  if (measure.left === null) return <td>no limit</td>;
  const short = left !== null && compare(left, '0') < 0;
  return (
    <Box component="td" sx={short ? { color: 'error.main', fontWeight: 620 } : undefined}>
      {left === null ? '–' : formatQuantity(left)}
      {short && ' too few'}
    </Box>
  );
}

function Cell(props: {
  cell: MatrixCell;
  label: string;
  typed: string | undefined;
  problem: string | undefined;
  onType: (text: string) => void;
}) {
  const { cell, label, typed, problem, onType } = props;
  const changed = typed !== undefined && typed !== written(cell);
  const wrong = problem ?? (changed ? wrongWith(typed) : undefined);
  return (
    <td>
      <InputBase
        value={typed ?? written(cell)}
        onChange={(event) => onType(event.target.value.trim())}
        placeholder={cell.limit === null ? NONE : '–'}
        error={wrong !== undefined}
        slotProps={{ input: { 'aria-label': label, 'aria-invalid': wrong !== undefined } }}
        sx={{
          width: '100%',
          minWidth: 66,
          fontSize: 'inherit',
          border: '1px solid',
          borderColor: wrong ? 'error.main' : changed ? 'primary.main' : 'transparent',
          borderRadius: 0.5,
          px: 0.5,
          '&:hover, &.Mui-focused': { borderColor: wrong ? 'error.main' : 'primary.main' },
          input: {
            textAlign: 'right',
            p: 0,
            fontWeight: changed ? 620 : 400,
            fontVariantNumeric: 'tabular-nums',
          },
        }}
      />
      {changed && cell.given && (
        <Box sx={{ color: 'text.secondary', fontSize: '0.76rem' }}>was {written(cell)}</Box>
      )}
      {wrong && (
        <Box role="alert" sx={{ color: 'error.main', fontSize: '0.78rem', textAlign: 'left', minWidth: 130 }}>
          {wrong}
        </Box>
      )}
    </td>
  );
}

function Acts(props: {
  count: number;
  may: boolean;
  odd: boolean;
  saving: boolean;
  onSave: () => void;
  onDrop: () => void;
  onRead: (event: ChangeEvent<HTMLInputElement>) => void;
  sheet: () => string;
}) {
  const { count, may, odd, saving, onSave, onDrop, onRead, sheet } = props;
  const file = useRef<HTMLInputElement>(null);
  const saveSheet = () => {
    const address = URL.createObjectURL(new Blob([sheet()], { type: 'text/csv' }));
    const link = document.createElement('a');
    link.href = address;
    link.download = 'limits.csv';
    link.click();
    URL.revokeObjectURL(address);
  };
  return (
    <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1, alignItems: 'center', mb: 1.5 }}>
      <Button onClick={saveSheet}>Save as CSV</Button>
      {may && (
        <>
          <Button onClick={() => file.current?.click()}>Read a CSV</Button>
          <input
            ref={file}
            type="file"
            accept=".csv,text/csv"
            hidden
            onChange={onRead}
            aria-label="A CSV of limits"
          />
          <Box sx={{ flex: 1 }} />
          {count > 0 && <Button onClick={onDrop}>Leave them as they are</Button>}
          <Button variant="contained" disabled={!count || odd} loading={saving} onClick={onSave}>
            {count === 0 ? 'Nothing is changed' : count === 1 ? 'Save 1 limit' : `Save ${count} limits`}
          </Button>
        </>
      )}
    </Box>
  );
}
