/** Usage of a month: one meter by day, and by resource, project or organisation. */
import { Box, MenuItem, TextField } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { usePeriod } from '../access/figures';
import { useNames } from '../catalogue/names';
import { useLooked } from '../organisations/organisations';
import { Bar } from '../shared/Bar';
import { DataTable, byText } from '../shared/DataTable';
import { periodName } from '../shared/dates';
import { DayChart } from '../shared/DayChart';
import { compare, formatQuantity, readable, share } from '../shared/decimal';
import { useFilters } from '../shared/filters';
import { Page, Section } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { formatUnit } from '../shared/units';
import { type Usage, usageOptions } from './metering';

const DIMENSIONS = ['resource', 'project', 'organisation'] as const;

export default function UsagePage() {
  const looked = useLooked();
  const names = useNames();
  const [period] = usePeriod();
  const [params, set] = useFilters();
  const by =
    DIMENSIONS.find((each) => each === params.get('by')) ??
    (looked.type === 'tenant' ? 'resource' : 'organisation');
  const totals = useQuery(usageOptions(looked.slug, period, []));
  const meters = totals.data?.items.map((each) => each.meter) ?? [];
  const meter = meters.find((each) => each === params.get('meter')) ?? meters[0];
  return (
    <Page
      title={`What was used in ${periodName(period)}`}
      lead={`${looked.name}${looked.type === 'tenant' ? '' : ' and everybody below it'}, in the hours of its billing zone.`}
      current={totals.data}
      filters={
        <>
          {meter && (
            <TextField
              select
              label="Meter"
              value={meter}
              sx={{ minWidth: 200 }}
              onChange={(event) => set('meter', event.target.value)}
            >
              {meters.map((each) => (
                <MenuItem key={each} value={each}>
                  {names.meter(each)}
                </MenuItem>
              ))}
            </TextField>
          )}
          <TextField
            select
            label="By"
            value={by}
            sx={{ minWidth: 130 }}
            onChange={(event) => set('by', event.target.value)}
          >
            {DIMENSIONS.map((each) => (
              <MenuItem key={each} value={each}>
                {each}
              </MenuItem>
            ))}
          </TextField>
        </>
      }
    >
      <Query query={totals}>
        {() =>
          meter ? (
            <OneMeter
              organisation={looked.slug}
              period={period}
              meter={meter}
              name={names.meter(meter)}
              by={by}
            />
          ) : (
            <Empty title={`Nothing was used in ${periodName(period)}`}>
              Usage appears when a feed sends readings; choose another month to look back.
            </Empty>
          )
        }
      </Query>
    </Page>
  );
}

function OneMeter({
  organisation,
  period,
  meter,
  name,
  by,
}: {
  organisation: string;
  period: string;
  meter: string;
  name: string;
  by: string;
}) {
  const days = useQuery(usageOptions(organisation, period, ['day'], meter));
  const parts = useQuery(usageOptions(organisation, period, [by], meter));
  return (
    <>
      <Section title={`${name} by day`}>
        <Query query={days} rows={4}>
          {(found) => {
            const unit = found.items[0]?.unit ?? '';
            return (
              <DayChart
                days={found.items.map((each) => ({ day: each.keys.day ?? '', value: each.quantity }))}
                format={(value) =>
                  `${readable(value, unit).text} ${formatUnit(readable(value, unit).unit, readable(value, unit).text)}`
                }
                unit=""
                label={`${name} by day`}
              />
            );
          }}
        </Query>
      </Section>
      <Section title={`By ${by}`}>
        <Query query={parts}>{(found) => <Parts by={by} items={found.items} more={found.more} />}</Query>
      </Section>
    </>
  );
}

function Parts({ by, items, more }: { by: string; items: Usage[]; more: boolean }) {
  const most = items[0]?.quantity ?? '0';
  return (
    <>
      <DataTable
        name="usage"
        label={`Usage by ${by}`}
        rows={items}
        rowKey={(row) => row.keys[by] ?? ''}
        height={560}
        columns={[
          {
            key: by,
            title: by[0]?.toUpperCase() + by.slice(1),
            cell: (row) => row.names[by],
            order: byText((row: Usage) => row.names[by]),
          },
          {
            key: 'bar',
            title: '',
            width: '34%',
            cell: (row) => (
              <Bar
                value={share(row.quantity, most)}
                label={`${row.names[by]}: ${row.quantity} ${row.unit}`}
              />
            ),
          },
          {
            key: 'quantity',
            title: 'Quantity',
            number: true,
            cell: (row) => readable(row.quantity, row.unit).text,
            order: (a, b) => compare(a.quantity, b.quantity),
          },
          {
            key: 'unit',
            title: 'Unit',
            cell: (row) => {
              const shown = readable(row.quantity, row.unit);
              return formatUnit(shown.unit, shown.text);
            },
          },
          {
            key: 'exact',
            title: 'Exactly',
            number: true,
            cell: (row) => (
              <Box component="span" sx={{ color: 'text.secondary' }}>
                {formatQuantity(row.quantity, 6)} {row.unit}
              </Box>
            ),
          },
        ]}
      />
      {more && (
        <Box sx={{ color: 'text.secondary', mt: 1, fontSize: '0.84rem' }}>The first 2 000 are shown.</Box>
      )}
    </>
  );
}
