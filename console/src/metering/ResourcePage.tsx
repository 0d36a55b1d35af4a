/** One resource in a month: what it was when, what was used of it, and what feeds said. */
import { Box, Button, MenuItem, TextField, useColorScheme } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { useKept, usePeriod } from '../access/figures';
import { useSignedIn } from '../access/session';
import { useNames } from '../catalogue/names';
import { useLooked } from '../organisations/organisations';
import { daysName, momentName, nextMonth, periodName } from '../shared/dates';
import { useFilters } from '../shared/filters';
import { textColumn, Grid } from '../shared/Grid';
import { Page, Section } from '../shared/Page';
import { REST, SERIES } from '../shared/palette';
import { Empty, Query } from '../shared/States';
import { quantityIn } from '../shared/units';
import { ChargedTogether } from './Together';
import { Load } from './Load';
import { ResourceFacts } from './ResourceFacts';
import {
  because,
  type ResourceOwner,
  resourceOwnersOptions,
  type Said,
  type Spell,
  spellsOptions,
  usageOptions,
} from './metering';
import { lengthWords, likeWords, phasesOf, placed, saidWords } from './spells';
import { UsageDays } from './UsageDays';

export default function ResourcePage() {
  const [params] = useFilters();
  const name = params.get('name');
  return name ? <Named name={name} /> : <Unnamed />;
}

function Named({ name }: { name: string }) {
  const looked = useLooked();
  const { may } = useSignedIn();
  const kept = useKept();
  const [period] = usePeriod();
  const spells = useQuery(spellsOptions(looked.slug, period, name));
  const only = new URLSearchParams({ by: 'meter', only: `resource:${name}` });
  const path = kept('/spend');
  return (
    <Page
      title={name}
      crumbs={[{ title: 'Usage', to: kept('/usage') }]}
      lead={`A resource of ${looked.name}${looked.type === 'tenant' ? '' : ' or somebody below it'}, in ${periodName(period)}; times are UTC.`}
      current={spells.data}
      action={
        may('read money') && (
          <Button
            component={Link}
            to={`${path}${path.includes('?') ? '&' : '?'}${only.toString()}`}
            variant="outlined"
          >
            What it cost
          </Button>
        )
      }
    >
      <ResourceFacts organisation={looked.slug} name={name} />
      <Query query={spells}>
        {(found) =>
          found.items.length > 0 && (
            <Section title="What it was">
              <Strips spells={found.items} period={period} />
              <Spells spells={found.items} />
            </Section>
          )
        }
      </Query>
      <Used organisation={looked.slug} period={period} name={name} />
      <ChargedTogether period={period} name={name} />
      <Load organisation={looked.slug} period={period} name={name} />
      <Whose period={period} name={name} />
      {!!spells.data?.said.length && (
        <Section title="What was said of it">
          <SaidOf said={spells.data.said} />
        </Section>
      )}
    </Page>
  );
}

/** Where an address without a name leads. */
function Unnamed() {
  const kept = useKept();
  return (
    <Page title="A resource" crumbs={[{ title: 'Usage', to: kept('/usage') }]}>
      <Empty title="This address names no resource">
        <Link to={kept('/usage')}>Choose one from what was used</Link>
      </Empty>
    </Page>
  );
}

/** The month as a strip for each meter, in which each phase has its colour. */
function Strips({ spells, period }: { spells: Spell[]; period: string }) {
  const { mode, systemMode } = useColorScheme();
  const tone = (mode === 'system' ? systemMode : mode) === 'dark' ? 'dark' : 'light';
  const phases = phasesOf(spells).sort();
  const colour = (phase: string) => (phase ? SERIES[tone][phases.indexOf(phase) % 8] : REST[tone]);
  const starts = spells.map((each) => each.start).sort();
  const ends = spells.map((each) => each.end).sort();
  const first = [`${period}-01T00:00:00Z`, starts[0] ?? ''].sort()[0] ?? '';
  const last = [`${nextMonth(period)}T00:00:00Z`, ends[ends.length - 1] ?? ''].sort()[1] ?? '';
  return (
    <Box sx={{ mb: 2 }}>
      {[...new Set(spells.map((each) => each.meter))].map((meter) => {
        const own = spells.filter((each) => each.meter === meter);
        return (
          <Box key={meter} sx={{ mb: 1 }}>
            <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>{own[0]?.meter_name}</Box>
            <Box
              role="img"
              aria-label={`${own[0]?.meter_name ?? ''}: ${own.length} spells in ${periodName(period)}`}
              sx={{
                position: 'relative',
                height: 26,
                border: '1px solid',
                borderColor: 'hairline',
                maxWidth: 1100,
              }}
            >
              {own.map((each) => {
                const [from, wide] = placed(each.start, each.end, first, last);
                return (
                  <Box
                    key={`${each.start}${each.project}`}
                    title={`${likeWords(each.attributes) || 'there'}, ${momentName(each.start)} to ${momentName(each.end)}`}
                    sx={{
                      position: 'absolute',
                      top: 0,
                      bottom: 0,
                      left: `${from * 100}%`,
                      width: `${wide * 100}%`,
                      minWidth: '1px',
                      bgcolor: colour(each.attributes.phase ?? ''),
                    }}
                  />
                );
              })}
            </Box>
          </Box>
        );
      })}
      <Box
        sx={{
          display: 'flex',
          justifyContent: 'space-between',
          gap: 2,
          fontSize: '0.8rem',
          color: 'text.secondary',
          maxWidth: 1100,
        }}
      >
        <span>{first.slice(0, 10)}</span>
        {phases.filter(Boolean).map((phase) => (
          <Box key={phase} component="span" sx={{ display: 'inline-flex', alignItems: 'center', gap: 0.75 }}>
            <Box component="span" sx={{ width: 10, height: 10, bgcolor: colour(phase) }} />
            {phase}
          </Box>
        ))}
        <span>{last.slice(0, 10)}</span>
      </Box>
    </Box>
  );
}

function Spells({ spells }: { spells: Spell[] }) {
  return (
    <Grid
      name="spells"
      label="What it was, and when"
      rows={[...spells].reverse()}
      rowKey={(row) => `${row.meter} ${row.start} ${row.project}`}
      count={spells.length}
      columns={[
        textColumn('from', 'From', (row: Spell) => (row.from_before ? 'before' : momentName(row.start)), {
          width: 150,
        }),
        textColumn(
          'to',
          'To',
          (row: Spell) =>
            momentName(row.end) + (row.goes_on ? ', goes on' : row.inferred_end ? ', not listed after' : ''),
          { width: 230 },
        ),
        textColumn('long', 'In this month', (row: Spell) => lengthWords(row.start, row.end), { width: 140 }),
        textColumn('as', 'As', (row: Spell) => likeWords(row.attributes) || 'there', { flex: 2 }),
        textColumn('level', 'Level', (row: Spell) => quantityIn(row.level, row.unit), { width: 110 }),
        textColumn('whose', 'Whose', (row: Spell) => row.project_name, { flex: 3 }),
        textColumn('what', 'Counted as', (row: Spell) => row.meter_name, { flex: 2 }),
      ]}
    />
  );
}

/** What was used of it, meter by meter, and day by day. */
function Used({ organisation, period, name }: { organisation: string; period: string; name: string }) {
  const names = useNames();
  const [chosen, setChosen] = useState('');
  const totals = useQuery(usageOptions(organisation, period, [], undefined, name));
  const meters = totals.data?.items.map((each) => each.meter) ?? [];
  const meter = meters.includes(chosen) ? chosen : (meters[0] ?? '');
  const days = useQuery({
    ...usageOptions(organisation, period, ['day'], meter, name),
    enabled: meter !== '',
  });
  return (
    <Section
      title="What was used of it"
      aside={
        meters.length > 1 && (
          <TextField
            select
            size="small"
            label="Meter"
            value={meter}
            onChange={(event) => setChosen(event.target.value)}
          >
            {meters.map((each) => (
              <MenuItem key={each} value={each}>
                {names.meter(each)}
              </MenuItem>
            ))}
          </TextField>
        )
      }
    >
      <Query query={totals} rows={3}>
        {(found) =>
          found.items.length ? (
            <>
              <Box sx={{ mb: 1 }}>
                {found.items
                  .filter((each) => each.meter === meter)
                  .map((each) => `${each.meter_name}: ${quantityIn(each.quantity, each.unit)}`)
                  .join('')}
              </Box>
              {days.data && (
                <UsageDays label={`${names.meter(meter)} by day`} items={days.data.items} period={period} />
              )}
            </>
          ) : (
            <Empty title={`Nothing of it was used in ${periodName(period)}`}>
              Choose another month, or look whose it is: usage of others is not shown.
            </Empty>
          )
        }
      </Query>
    </Section>
  );
}

/** Whose it is by what one's own feeds sent, and why; nothing of those of others. */
function Whose({ period, name }: { period: string; name: string }) {
  const { home } = useSignedIn();
  const found = useQuery(resourceOwnersOptions(home.organisation, period, name));
  if (!found.data?.length) return null;
  return (
    <Section title="Whose it is, and why">
      <Grid
        name="whose"
        label="Whose it is, and why"
        rows={[...found.data].reverse()}
        rowKey={(row: ResourceOwner) =>
          `${row.first_day} ${row.feed} ${row.meter} ${row.account} ${because(row)}`
        }
        count={found.data.length}
        columns={[
          textColumn('days', 'Days', (row: ResourceOwner) => daysName(row.first_day, row.last_day), {
            flex: 2,
          }),
          textColumn('whose', 'Whose', (row: ResourceOwner) => row.owner ?? 'nobody’s', { flex: 3 }),
          textColumn('because', 'Because', because, { flex: 3 }),
          textColumn('feed', 'By feed', (row: ResourceOwner) => row.feed, { flex: 2 }),
          textColumn('what', 'Counted as', (row: ResourceOwner) => row.meter_name, { flex: 2 }),
        ]}
      />
    </Section>
  );
}

function SaidOf({ said }: { said: Said[] }) {
  return (
    <Grid
      name="said"
      label="What was said of it"
      rows={[...said].reverse()}
      rowKey={(row: Said) => `${row.at} ${row.event_id} ${row.meter}`}
      count={said.length}
      columns={[
        textColumn('at', 'Of', (row: Said) => momentName(row.at), { flex: 2 }),
        textColumn('is', 'It is', saidWords, { flex: 3 }),
        textColumn(
          'whose',
          'Whose',
          (row: Said) => row.owner ?? (row.account ? `account ${row.account}` : 'not said'),
          {
            flex: 2,
          },
        ),
        textColumn('feed', 'By feed', (row: Said) => row.feed, { flex: 2 }),
        textColumn('event', 'Event', (row: Said) => row.event_id, { flex: 3 }),
        textColumn('came', 'Came in', (row: Said) => momentName(row.received_at), { flex: 2 }),
      ]}
    />
  );
}
