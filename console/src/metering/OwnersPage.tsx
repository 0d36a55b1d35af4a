/** Whose usage is: what of a month is nobody's, how many readings are whose, and the rules. */
import { Alert, Box, Button } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { usePeriod } from '../access/figures';
import { useSignedIn } from '../access/session';
import { DataTable } from '../shared/DataTable';
import { daysName, daysSince, periodName } from '../shared/dates';
import { compare, formatCount, formatMoney } from '../shared/decimal';
import { Remark } from '../shared/form';
import { Page, Section } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { quantityIn } from '../shared/units';
import { type ImportedCost, importedCostsOptions } from './costs';
import { OwnerDialog, type OwnerValues } from './OwnerDialog';
import { Resources } from './Resources';
import { DropRule } from './RuleDialogs';
import { RulesTrial } from './RulesTrial';
import {
  type Balance,
  balancesOptions,
  conditionWords,
  costWords,
  moveWords,
  ownerWords,
  previewOptions,
  quantityWords,
  rulesOptions,
  unownedOptions,
  useSetRules,
  type Nobodys,
  type Rules,
} from './ownership';

export default function OwnersPage() {
  const { home, mayAt } = useSignedIn();
  const [period] = usePeriod();
  const rules = useQuery(rulesOptions(home.organisation));
  const unowned = useQuery(unownedOptions(home.organisation, period));
  const [giving, setGiving] = useState<OwnerValues | null>(null);
  const manages = mayAt('manage feeds', home.organisation);
  const queries = useQueryClient();
  const waiting = unowned.data?.waiting ?? false;
  useEffect(() => {
    // Whose costs are is made again with whose usage is.
    if (!waiting) void queries.invalidateQueries({ queryKey: ['imported costs'] });
  }, [waiting, queries]);
  return (
    <Page
      title={`Whose usage is, ${periodName(period)}`}
      lead="A reading is of whom it names. What names nobody is of whom the first rule that holds on its day says."
      action={
        manages && (
          <Button variant="outlined" onClick={() => setGiving(written(period))} disabled={!rules.data}>
            Add a rule
          </Button>
        )
      }
    >
      <Query query={unowned}>
        {(found) => (
          <>
            <Section title="Nobody’s">
              {found.items.length ? (
                <NobodysTable
                  items={found.items}
                  onGive={manages && rules.data ? (item) => setGiving(written(period, item)) : null}
                />
              ) : (
                <Empty title={`Everything that came in for ${periodName(period)} has an owner`} />
              )}
              {found.more && <Remark>There is more than could be looked at; this is a part of it.</Remark>}
            </Section>
            {found.feeds.length > 0 && (
              <Section title="All that came in">
                <DataTable
                  name="feeds"
                  label="All that came in"
                  rows={found.feeds}
                  rowKey={(row) => row.feed}
                  columns={[
                    { key: 'feed', title: 'Feed', cell: (row) => row.feed_name },
                    count('readings', 'Readings'),
                    count('owned', 'Somebody’s'),
                    count('nobodys', 'Nobody’s'),
                    ...(found.feeds.some((each) => each.gave_way) ? [count('gave_way', 'Gave way')] : []),
                  ]}
                />
              </Section>
            )}
          </>
        )}
      </Query>
      {mayAt('read money', home.organisation) && (
        <>
          <Costs
            organisation={home.organisation}
            period={period}
            onGive={manages && rules.data ? (each) => setGiving(written(period, each)) : null}
          />
          <Became organisation={home.organisation} period={period} />
        </>
      )}
      <Query query={rules}>{(found) => <RulesSection rules={found} manages={manages} />}</Query>
      {giving && rules.data && (
        <OwnerDialog rules={rules.data} initial={giving} onClose={() => setGiving(null)} />
      )}
    </Page>
  );
}

/** What suppliers' files say that the month cost: nobody's first, with what gives it an owner. */
function Costs(props: {
  organisation: string;
  period: string;
  onGive: ((cost: ImportedCost) => void) | null;
}) {
  const { organisation, period, onGive } = props;
  const costs = useQuery(importedCostsOptions(organisation, period));
  return (
    <Query query={costs}>
      {(found) =>
        found.length > 0 && (
          <Section title="Costs of suppliers">
            <DataTable
              name="costs"
              label="Costs of suppliers"
              rows={found}
              rowKey={(row) => `${row.feed} ${row.account} ${row.category} ${row.owner} ${row.currency}`}
              columns={[
                { key: 'account', title: 'Account', cell: (row) => row.account },
                {
                  key: 'owner',
                  title: 'Whose',
                  cell: (row) => row.owner ?? (row.category === 'Tax' ? '' : 'nobody’s'),
                },
                { key: 'category', title: 'For', cell: (row) => COST_WORDS[row.category] ?? row.category },
                {
                  key: 'billed',
                  title: 'Billed',
                  number: true,
                  cell: (row) => formatMoney(row.billed, row.currency),
                },
                {
                  key: 'effective',
                  title: 'Effective',
                  number: true,
                  cell: (row) => formatMoney(row.effective, row.currency),
                },
                ...(found.some((each) => compare(each.estimated, '0') !== 0)
                  ? [
                      {
                        key: 'estimated',
                        title: 'Of it estimated',
                        number: true,
                        cell: (row: ImportedCost) =>
                          compare(row.estimated, '0') === 0 ? '' : formatMoney(row.estimated, row.currency),
                      },
                    ]
                  : []),
                { key: 'currency', title: 'Currency', cell: (row) => row.currency },
                {
                  key: 'days',
                  title: 'Days',
                  whole: true,
                  cell: (row) => daysName(row.first, row.last),
                },
                {
                  key: 'act',
                  title: 'What to do',
                  cell: (row) =>
                    row.owner === null && row.category !== 'Tax' && onGive ? (
                      <Button onClick={() => onGive(row)}>Give it an owner</Button>
                    ) : row.converted ? (
                      ''
                    ) : (
                      'No exchange rate: not priced'
                    ),
                },
              ]}
            />
          </Section>
        )
      }
    </Query>
  );
}

const COST_WORDS: Record<string, string> = {
  Usage: 'use',
  Purchase: 'purchase',
  Tax: 'the supplier’s tax',
  Credit: 'credit',
  Adjustment: 'adjustment',
};

/** What became of all that customers used: everything is charged, covered by allowances, or listed here. */
function Became({ organisation, period }: { organisation: string; period: string }) {
  const balances = useQuery(balancesOptions(organisation, period));
  return (
    <Query query={balances}>
      {({ items, waiting }) =>
        items.length > 0 && (
          <Section title="What became of what customers used">
            <DataTable
              name="balances"
              label="What became of what customers used"
              rows={items}
              rowKey={(row) => row.meter}
              columns={[
                { key: 'meter', title: 'Meter', cell: (row) => row.meter_name },
                became('used', 'Used'),
                became('charged', 'Charged'),
                became('covered', 'Covered'),
                ...(items.some((each) => Number(each.watched)) ? [became('watched', 'Only watched')] : []),
                ...(items.some((each) => Number(each.together)) ? [became('together', 'Composites')] : []),
                became('no_rate', 'No rate'),
                became('no_subscription', 'No subscription'),
              ]}
            />
            {!waiting && items.some(isOpen) && (
              <Alert severity="error" variant="outlined">
                {items
                  .filter(isOpen)
                  .map((row) => row.meter_name)
                  .join(', ')}
                : what is charged and what is not is not all that was used.
              </Alert>
            )}
          </Section>
        )
      }
    </Query>
  );
}

const isOpen = ({ difference }: Balance): boolean => difference !== null && Number(difference) !== 0;

const became = (
  key: 'used' | 'charged' | 'covered' | 'watched' | 'together' | 'no_rate' | 'no_subscription',
  title: string,
) => ({
  key,
  title,
  number: true,
  cell: (row: Balance) => {
    if (Number(row[key]) === 0) return '';
    const missing = key === 'no_rate' || key === 'no_subscription';
    return (
      <Box component="span" sx={missing ? { color: 'warning.main', fontWeight: 620 } : {}}>
        {quantityIn(row[key], row.unit)}
      </Box>
    );
  },
});

type Counts = { readings: number; owned: number; nobodys: number; gave_way: number };
const count = (key: keyof Counts, title: string) => ({
  key,
  title,
  number: true,
  width: 140,
  cell: (row: Counts) => formatCount(row[key]),
  order: (left: Counts, right: Counts) => left[key] - right[key],
});

/** What the dialog begins with: for the whole month, as far as it is known what the rule is about. */
const written = (period: string, item?: Pick<Nobodys, 'account' | 'feed'>): OwnerValues => ({
  name: item?.account ? `Account ${item.account}` : '',
  customer: '',
  project: '',
  shares: '',
  meter: '',
  divided: '',
  among: '',
  whole: '',
  remainder: '',
  by: 'account',
  table: '',
  way: 'one',
  starts_on: `${period}-01`,
  account: item?.account ?? '',
  resource: '',
  feed: item && !item.account ? (item.feed.split('/')[1] ?? '') : '',
});

function NobodysTable(props: { items: Nobodys[]; onGive: ((item: Nobodys) => void) | null }) {
  const { items, onGive } = props;
  return (
    <DataTable
      name="nobodys"
      label="Nobody’s"
      rows={items}
      rowKey={(row) => `${row.feed} ${row.account ?? ''} ${row.source}`}
      columns={[
        { key: 'account', title: 'Account', whole: true, cell: (row) => row.account ?? 'none said' },
        { key: 'feed', title: 'Feed', cell: (row) => row.feed_name },
        {
          key: 'resources',
          title: 'Resources',
          cell: (row) => <Resources count={row.resources} examples={row.examples} />,
        },
        {
          key: 'days',
          title: 'Days',
          whole: true,
          cell: (row) => daysName(row.first_day, row.last_day),
        },
        ...(items.some((each) => each.costs.length > 0)
          ? [{ key: 'costs', title: 'Cost', number: true, cell: (row: Nobodys) => costWords(row.costs) }]
          : []),
        { key: 'usage', title: 'Usage', cell: (row) => quantityWords(row.quantities) },
        {
          key: 'act',
          title: '',
          width: 160,
          cell: (row) => onGive && <Button onClick={() => onGive(row)}>Give it an owner</Button>,
        },
      ]}
    />
  );
}

function RulesSection({ rules, manages }: { rules: Rules; manages: boolean }) {
  const [dropping, setDropping] = useState<number | null>(null);
  if (!rules.rules.length) return null;
  return (
    <Section title="Rules, in their order">
      <DataTable
        name="rules"
        label="Rules, in their order"
        rows={rules.rules.map((rule, place) => ({ rule, place }))}
        rowKey={(row) => String(row.place)}
        columns={[
          { key: 'name', title: 'Rule', cell: ({ rule }) => rule.name },
          { key: 'what', title: 'What', cell: ({ rule }) => conditionWords(rule.conditions) },
          { key: 'owner', title: 'Is of', cell: ({ rule }) => ownerWords(rule) },
          {
            key: 'from',
            title: 'Days',
            whole: true,
            cell: ({ rule }) => daysSince(rule.starts_on, rule.ends_on ?? null),
          },
          {
            key: 'act',
            title: '',
            width: 110,
            cell: ({ rule, place }) =>
              manages && (
                <Button aria-label={`Take ${rule.name} away`} onClick={() => setDropping(place)}>
                  Take away
                </Button>
              ),
          },
        ]}
      />
      {dropping !== null && <DropDialog rules={rules} place={dropping} onClose={() => setDropping(null)} />}
    </Section>
  );
}

function DropDialog({ rules, place, onClose }: { rules: Rules; place: number; onClose: () => void }) {
  const setRules = useSetRules(rules);
  const left = rules.rules.filter((_, index) => index !== place);
  const preview = useQuery(previewOptions(rules.organisation, left));
  return (
    <DropRule
      name={rules.rules[place]?.name ?? 'the rule'}
      sentences={preview.data ? moveWords(preview.data) : []}
      drop={() =>
        setRules(left, 'The rule is gone. What it reached is made again now; see Work in progress.')
      }
      onClose={onClose}
    >
      <RulesTrial organisation={rules.organisation} rules={left} preview={preview.data} />
    </DropRule>
  );
}
