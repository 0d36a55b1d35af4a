/** Usage of a month: one meter by day, and by resource, project or organisation; or every meter by one of these. */
import { Box, Button, Link as TextLink, MenuItem, TextField } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link } from 'react-router';
import { useKept, usePeriod } from '../access/figures';
import { useSignedIn } from '../access/session';
import { useNames } from '../catalogue/names';
import { useLooked } from '../organisations/organisations';
import { api, body } from '../shared/api';
import { Bar } from '../shared/Bar';
import { byText } from '../shared/DataTable';
import { periodName } from '../shared/dates';
import { beside, compare, formatQuantity, share } from '../shared/decimal';
import { useFilters } from '../shared/filters';
import { Grid, type GridColumn } from '../shared/Grid';
import { Page, Section } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { useToast } from '../shared/Toasts';
import { formatUnit, quantityIn } from '../shared/units';
import { resourcePath, type Usage, usageOptions } from './metering';
import { UsageDays } from './UsageDays';

const COMPOSITE = 'attribute:component_of';
const DIMENSIONS = ['resource', 'project', 'organisation', 'feed', 'cloud', 'region', COMPOSITE];
const ATTRIBUTE = 'attribute:';
const dimensionWords = (by: string): string => (by === COMPOSITE ? 'composite' : by.replace(ATTRIBUTE, ''));
/** In place of a meter. */
const EVERY = 'every';

export default function UsagePage() {
  const looked = useLooked();
  const names = useNames();
  const [period] = usePeriod();
  const [params, set] = useFilters();
  const totals = useQuery(usageOptions(looked.slug, period, []));
  const meters = totals.data?.items.map((each) => each.meter) ?? [];
  const meter = [...meters, EVERY].find((each) => each === params.get('meter')) ?? meters[0];
  const dimensions = [...DIMENSIONS, ...names.attributes(meter ?? '').map((each) => ATTRIBUTE + each)];
  const by =
    dimensions.find((each) => each === params.get('by')) ??
    (looked.type === 'tenant' ? 'resource' : 'organisation');
  return (
    <Page
      title={`What was used in ${periodName(period)}`}
      lead={`${looked.name}${looked.type === 'tenant' ? '' : ' and everybody below it'}, in the hours of its billing zone.`}
      current={totals.data}
      action={<MakeAgain organisation={looked.slug} period={period} />}
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
              <MenuItem value={EVERY}>every meter</MenuItem>
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
            {dimensions.map((each) => (
              <MenuItem key={each} value={each}>
                {dimensionWords(each)}
              </MenuItem>
            ))}
          </TextField>
        </>
      }
    >
      <Query query={totals}>
        {() =>
          meter === EVERY && meters.length ? (
            <EveryMeter organisation={looked.slug} period={period} by={by} />
          ) : meter && meter !== EVERY ? (
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

/** Has the month made again from what came in: for who manages feeds, where something looks wrong. */
function MakeAgain({ organisation, period }: { organisation: string; period: string }) {
  const { home, mayAt } = useSignedIn();
  const queries = useQueryClient();
  const say = useToast();
  const again = useMutation({
    mutationFn: async () =>
      body(
        await api.POST('/api/v1/organisations/{organisation}/usage-remakes', {
          params: { path: { organisation } },
          body: { period },
        }),
      ),
    onSuccess: async () => {
      say(`Usage of ${periodName(period)} is made again from what came in; see Record, Work in progress.`);
      await queries.invalidateQueries({ queryKey: ['usage'] });
    },
    onError: (error) => say(error.message),
  });
  if (!mayAt('manage feeds', home.organisation)) return null;
  return (
    <Button loading={again.isPending} onClick={() => again.mutate()}>
      Make it again
    </Button>
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
          {(found) => <UsageDays label={`${name} by day`} items={found.items} period={period} />}
        </Query>
      </Section>
      <Section title={`By ${dimensionWords(by)}`}>
        <Query query={parts}>{(found) => <Parts by={by} items={found.items} more={found.more} />}</Query>
      </Section>
    </>
  );
}

/** What was used of each meter, in that one's terms: so that what several sources measure stands together. */
function EveryMeter({ organisation, period, by }: { organisation: string; period: string; by: string }) {
  const parts = useQuery(usageOptions(organisation, period, [by]));
  const names = useNames();
  return (
    <Section title={`Every meter by ${dimensionWords(by)}`}>
      <Query query={parts}>
        {(found) => (
          <Parts
            by={by}
            items={found.items.toSorted(byText((row) => names.meter(row.meter)))}
            more={found.more}
            called={(row) => names.meter(row.meter)}
          />
        )}
      </Query>
    </Section>
  );
}

const EXACTLY: GridColumn<Usage> = {
  key: 'exact',
  title: 'Exactly',
  number: true,
  flex: 4,
  cell: (row) => (
    <Box component="span" sx={{ color: 'text.secondary' }}>
      {formatQuantity(row.quantity, 6)} {formatUnit(row.unit, row.quantity)}
    </Box>
  ),
  text: (row) => `${row.quantity} ${row.unit}`,
};

interface PartsProps {
  by: string;
  items: Usage[];
  more: boolean;
  /** What its meter is called, where they are several. */
  called?: (row: Usage) => string;
}

function Parts({ by, items, more, called: meterOf }: PartsProps) {
  const largest = new Map<string, string>();
  for (const { meter, quantity } of items)
    if (compare(quantity, largest.get(meter) ?? '0') >= 0) largest.set(meter, quantity);
  const most = (row: Usage) => largest.get(row.meter) ?? '0';
  const meters = [...largest.keys()];
  const like = new Map(
    meters.map((meter) => [
      meter,
      beside(items.filter((each) => each.meter === meter).map((each) => each.quantity)),
    ]),
  );
  const title = dimensionWords(by);
  const called = (row: Usage) => row.names[by] || 'none said';
  const kept = useKept();
  return (
    <>
      <Grid
        name={meterOf ? `usage-of-every-meter-by-${by}` : `usage-by-${by}`}
        label={`Usage by ${title}`}
        rows={items}
        rowKey={(row) => `${row.meter} ${row.keys[by] ?? ''}`}
        count={items.length}
        columns={[
          ...(meterOf
            ? [
                {
                  key: 'meter',
                  title: 'Meter',
                  width: 240,
                  cell: meterOf,
                  text: meterOf,
                  order: byText(meterOf),
                },
              ]
            : []),
          {
            key: by,
            title: title[0]?.toUpperCase() + title.slice(1),
            flex: 3,
            cell: (row) =>
              by === 'resource' ? (
                <TextLink component={Link} to={resourcePath(kept, row.keys.resource ?? '')}>
                  {called(row)}
                </TextLink>
              ) : (
                called(row)
              ),
            text: called,
            order: byText(called),
          },
          {
            key: 'bar',
            title: 'Beside the largest',
            flex: 3,
            cell: (row) => (
              <Box sx={{ height: '100%', display: 'grid', alignContent: 'center' }}>
                <Bar
                  value={share(row.quantity, most(row))}
                  label={`${called(row)}: ${row.quantity} ${row.unit}`}
                />
              </Box>
            ),
            text: (row) => String(share(row.quantity, most(row))),
          },
          {
            key: 'quantity',
            title: 'Quantity',
            number: true,
            width: 190,
            cell: (row) => quantityIn(row.quantity, row.unit, like.get(row.meter)),
            text: (row) => row.quantity,
            order: (a, b) => compare(a.quantity, b.quantity),
          },
          ...(meterOf ? [] : [EXACTLY]),
        ]}
      />
      {more && (
        <Box sx={{ color: 'text.secondary', mt: 1, fontSize: '0.84rem' }}>The first 2 000 are shown.</Box>
      )}
    </>
  );
}
