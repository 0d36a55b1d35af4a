/** Of which meter something is: what of a month nothing says so of, and the rules that do. */
import { Box, Button } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { usePeriod } from '../access/figures';
import { useSignedIn } from '../access/session';
import { DataTable } from '../shared/DataTable';
import { daysName, daysSince, periodName } from '../shared/dates';
import { formatCount, formatQuantity } from '../shared/decimal';
import { Remark } from '../shared/form';
import { Page, Section } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { KindDialog, type KindValues } from './KindDialog';
import {
  kindMoveWords,
  kindPreviewOptions,
  kindRulesOptions,
  type KindRules,
  kindWords,
  sentWith,
  takenLines,
  type UnknownKind,
  unknownKindsOptions,
  useSetKindRules,
} from './kinds';
import { conditionWords } from './ownership';
import { Resources } from './Resources';
import { DropRule } from './RuleDialogs';
import { TrialDialog } from './TrialDialog';

export default function KindsPage() {
  const { home, mayAt } = useSignedIn();
  const [period] = usePeriod();
  const rules = useQuery(kindRulesOptions(home.organisation));
  const unknown = useQuery(unknownKindsOptions(home.organisation, period));
  const [saying, setSaying] = useState<KindValues | null>(null);
  const [trying, setTrying] = useState(false);
  const manages = mayAt('manage feeds', home.organisation);
  return (
    <Page
      title={`Kinds of usage, ${periodName(period)}`}
      lead="What is sent is the meter that it names. The rest is what the most specific rule says that holds on its day."
      action={
        manages && (
          <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}>
            <Button onClick={() => setTrying(true)}>Try a reading</Button>
            <Button variant="outlined" onClick={() => setSaying(written(period))} disabled={!rules.data}>
              Add a rule
            </Button>
          </Box>
        )
      }
    >
      <Query query={unknown}>
        {(found) => (
          <Section title="Of unknown kind">
            {found.items.length ? (
              <UnknownTable
                items={found.items}
                onSay={manages && rules.data ? (item) => setSaying(written(period, item)) : null}
              />
            ) : (
              <Empty title={`Everything that came in for ${periodName(period)} is of a known kind`} />
            )}
            {found.waiting && <Remark>Some of it is being read anew now.</Remark>}
            {found.more && <Remark>There is more than could be looked at; this is a part of it.</Remark>}
          </Section>
        )}
      </Query>
      <Query query={rules}>{(found) => <RulesSection rules={found} manages={manages} />}</Query>
      {saying && rules.data && (
        <KindDialog rules={rules.data} initial={saying} onClose={() => setSaying(null)} />
      )}
      {trying && (
        <TrialDialog organisation={home.organisation} day={`${period}-01`} onClose={() => setTrying(false)} />
      )}
    </Page>
  );
}

/** What the dialog begins with: for the whole month, as far as it is known what the rule is about. */
const written = (period: string, item?: UnknownKind): KindValues => ({
  name: item?.sent_meter ?? '',
  meter: item?.guess?.meter ?? '',
  attributes: takenLines(item?.guess?.attributes ?? {}),
  read_as: item?.guess?.unit ?? '',
  times: '',
  starts_on: `${period}-01`,
  sent: item?.sent_meter ?? '',
  unit: item?.sent_unit ?? '',
  feed: item?.feed.split('/')[1] ?? '',
  account: '',
  resource: '',
  where: '',
});

function UnknownTable(props: { items: UnknownKind[]; onSay: ((item: UnknownKind) => void) | null }) {
  const { items, onSay } = props;
  return (
    <DataTable
      name="unknown"
      label="Of unknown kind"
      rows={items}
      rowKey={(row) => `${row.feed} ${row.sent_meter} ${row.sent_unit} ${row.why}`}
      columns={[
        { key: 'sent', title: 'Sent as', cell: (row) => row.sent_meter },
        {
          key: 'quantity',
          title: 'So much',
          number: true,
          cell: (row) => `${formatQuantity(row.quantity)} ${row.sent_unit}`,
        },
        { key: 'with', title: 'Sent with', cell: (row) => sentWith(row.attributes) },
        { key: 'feed', title: 'Feed', cell: (row) => row.feed_name },
        {
          key: 'resources',
          title: 'Resources',
          cell: (row) => <Resources count={row.resources} examples={row.examples} />,
        },
        { key: 'readings', title: 'Readings', number: true, cell: (row) => formatCount(row.readings) },
        {
          key: 'days',
          title: 'Days',
          whole: true,
          cell: (row) => daysName(row.first_day, row.last_day),
        },
        {
          key: 'why',
          title: 'Why',
          cell: (row) => (
            <>
              {row.why}
              {row.guess && (
                <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>
                  It looks like {row.guess.meter}
                </Box>
              )}
            </>
          ),
        },
        {
          key: 'act',
          title: '',
          width: 140,
          cell: (row) => onSay && <Button onClick={() => onSay(row)}>Say what it is</Button>,
        },
      ]}
    />
  );
}

function RulesSection({ rules, manages }: { rules: KindRules; manages: boolean }) {
  const [dropping, setDropping] = useState<string | null>(null);
  if (!rules.rules.length) return null;
  return (
    <Section title="Rules, the more specific first">
      <DataTable
        name="rules"
        label="Rules, the more specific first"
        rows={rules.order.flatMap((place) => rules.rules[place] ?? [])}
        rowKey={(row) => row.name}
        columns={[
          { key: 'name', title: 'Rule', cell: (rule) => rule.name },
          { key: 'what', title: 'What is sent', cell: (rule) => conditionWords(rule.conditions) },
          { key: 'kind', title: 'Is', cell: kindWords },
          {
            key: 'from',
            title: 'Days',
            whole: true,
            cell: (rule) => daysSince(rule.starts_on, rule.ends_on ?? null),
          },
          {
            key: 'act',
            title: '',
            width: 110,
            cell: (rule) =>
              manages && (
                <Button aria-label={`Take ${rule.name} away`} onClick={() => setDropping(rule.name)}>
                  Take away
                </Button>
              ),
          },
        ]}
      />
      {dropping !== null && <DropDialog rules={rules} name={dropping} onClose={() => setDropping(null)} />}
    </Section>
  );
}

function DropDialog({ rules, name, onClose }: { rules: KindRules; name: string; onClose: () => void }) {
  const setRules = useSetKindRules(rules);
  const left = rules.rules.filter((each) => each.name !== name);
  const preview = useQuery(kindPreviewOptions(rules.organisation, left));
  return (
    <DropRule
      name={name}
      sentences={preview.data ? kindMoveWords(preview.data) : []}
      drop={() => setRules(left, 'The rule is gone. What it reached is read anew now; see Work in progress.')}
      onClose={onClose}
    />
  );
}
