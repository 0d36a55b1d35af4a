/** Feeds: how usage comes in, and what arrived. */
import { Box, Button, MenuItem, TextField } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSignedIn } from '../access/session';
import { byText } from '../shared/DataTable';
import { momentName } from '../shared/dates';
import { formatCount } from '../shared/decimal';
import { useFilters } from '../shared/filters';
import { Grid, type GridColumn } from '../shared/Grid';
import { Page } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { Arrivals } from './Arrivals';
import { CostMeterDialog, SendCosts } from './CostFiles';
import { costMeterOptions } from './costs';
import { FeedDialog, SenderDialog, TakeBackDialog } from './FeedDialogs';
import { GivesWay } from './GivesWay';
import { OfClouds } from './OfClouds';
import { PullDialog } from './PullDialog';
import { PullState } from './PullState';
import { WaitingFiles } from './WaitingFiles';
import { pullOptions } from './pulls';
import { RefusedItemsDialog } from './RefusedItems';
import { SendFile } from './SendFile';
import { type Delivery, type Feed, deliveriesOptions, feedsOptions } from './metering';

export default function FeedsPage() {
  const { home, mayAt } = useSignedIn();
  const [doing, setDoing] = useState<'feed' | 'sender' | 'costs' | 'pull' | null>(null);
  const feeds = useQuery(feedsOptions(home.organisation));
  const [params, set] = useFilters();
  return (
    <Query query={feeds}>
      {(found) => {
        const feed = found.find((each) => each.path === params.get('feed')) ?? found[0];
        return (
          <Page
            title="What arrived"
            lead={
              feed && `${feed.name}; may be sent to by ${feed.senders.join(', ') || 'its administrators'}.`
            }
            action={
              mayAt('manage feeds', home.organisation) && (
                <Box sx={{ display: 'flex', gap: 1 }}>
                  {feed && <BeginToFetch feed={feed} onClick={() => setDoing('pull')} />}
                  {feed && <Button onClick={() => setDoing('costs')}>Costs of a supplier</Button>}
                  {feed && <Button onClick={() => setDoing('sender')}>Let somebody send</Button>}
                  <Button variant={feed ? 'outlined' : 'contained'} onClick={() => setDoing('feed')}>
                    Make a feed
                  </Button>
                </Box>
              )
            }
            filters={
              feed && (
                <TextField
                  select
                  label="Feed"
                  value={feed.path}
                  sx={{ minWidth: 220 }}
                  onChange={(event) => set('feed', event.target.value)}
                >
                  {found.map((each) => (
                    <MenuItem key={each.path} value={each.path}>
                      {each.name}
                    </MenuItem>
                  ))}
                </TextField>
              )
            }
          >
            {feed ? (
              <>
                <Arrivals organisation={home.organisation} />
                <GivesWay
                  key={`way ${feed.path}`}
                  feed={feed}
                  feeds={found}
                  manages={mayAt('manage feeds', home.organisation)}
                />
                <OfClouds
                  key={`clouds ${feed.path}`}
                  feed={feed}
                  manages={mayAt('manage feeds', home.organisation)}
                />
                <PullState
                  key={`fetched ${feed.path}`}
                  feed={feed}
                  manages={mayAt('manage feeds', home.organisation)}
                />
                {mayAt('send readings', home.organisation) && <Sending key={feed.path} feed={feed} />}
                <WaitingFiles
                  key={`waiting ${feed.path}`}
                  feed={feed}
                  sends={mayAt('send readings', home.organisation)}
                  manages={mayAt('manage feeds', home.organisation)}
                />
                <Deliveries feed={feed} sends={mayAt('send readings', home.organisation)} />
              </>
            ) : (
              <Empty title="No feeds yet">
                A feed is the way in for what a cloud or a site measures: make one for each.
              </Empty>
            )}
            {doing === 'feed' && (
              <FeedDialog organisation={home.organisation} onClose={() => setDoing(null)} />
            )}
            {doing === 'pull' && feed && <NewPull feed={feed} onClose={() => setDoing(null)} />}
            {doing === 'costs' && feed && <CostMeterDialog feed={feed} onClose={() => setDoing(null)} />}
            {doing === 'sender' && feed && <SenderDialog feed={feed} onClose={() => setDoing(null)} />}
          </Page>
        );
      }}
    </Query>
  );
}

/** For a feed that is not fetched yet. */
function BeginToFetch({ feed, onClick }: { feed: Feed; onClick: () => void }) {
  const { data } = useQuery(pullOptions(feed.path));
  return data && !data.kind ? <Button onClick={onClick}>Fetch it</Button> : null;
}

function NewPull({ feed, onClose }: { feed: Feed; onClose: () => void }) {
  const { data } = useQuery(pullOptions(feed.path));
  return data ? <PullDialog feed={feed} pull={data} onClose={onClose} /> : null;
}

/** A file of readings, or of costs where the feed states those. */
function Sending({ feed }: { feed: Feed }) {
  const { data } = useQuery(costMeterOptions(feed.path));
  if (!data) return null;
  return data.meter === null ? (
    <SendFile feed={feed} />
  ) : (
    <SendCosts feed={feed} meter={data.meter} quantities={data.quantities} />
  );
}

const counts = (key: 'accepted' | 'known' | 'refused', title: string): GridColumn<Delivery> => ({
  key,
  title,
  number: true,
  width: 112,
  cell: (row) => {
    const alarming = key === 'refused' && row.refused > 0;
    return (
      <Box component="span" sx={alarming ? { color: 'error.main', fontWeight: 620 } : {}}>
        {formatCount(row[key])}
      </Box>
    );
  },
  text: (row) => String(row[key]),
  order: (left, right) => left[key] - right[key],
});

function Deliveries({ feed, sends }: { feed: Feed; sends: boolean }) {
  const deliveries = useQuery(deliveriesOptions(feed.path));
  const [back, setBack] = useState<Delivery | null>(null);
  const [refused, setRefused] = useState<Delivery | null>(null);
  return (
    <>
      <Query query={deliveries}>
        {(found) =>
          found.length ? (
            <Grid
              name="deliveries"
              label="Deliveries"
              rows={found}
              rowKey={(row) => String(row.id)}
              count={found.length}
              tall
              columns={[
                {
                  key: 'at',
                  title: 'Received, UTC',
                  width: 150,
                  cell: (row) => momentName(row.received_at),
                  text: (row) => momentName(row.received_at),
                  order: byText((row: Delivery) => row.received_at),
                },
                {
                  key: 'file',
                  title: 'File or hour',
                  width: 190,
                  cell: (row) => row.file ?? '',
                  text: (row) => row.file ?? '',
                },
                counts('accepted', 'Accepted'),
                counts('known', 'Known already'),
                counts('refused', 'Refused'),
                {
                  key: 'why',
                  title: 'What of it',
                  flex: 1,
                  cell: (row) => fate(row),
                  text: (row) => fate(row),
                },
                {
                  key: 'act',
                  title: 'Act',
                  width: 180,
                  cell: (row) => (
                    <Box sx={{ display: 'flex', gap: 1 }}>
                      {row.refused > 0 && <Button onClick={() => setRefused(row)}>Refused</Button>}
                      {sends && row.accepted > 0 && !row.taken_back_at && !row.takes_back && (
                        <Button onClick={() => setBack(row)}>Take back</Button>
                      )}
                    </Box>
                  ),
                  text: () => '',
                },
              ]}
            />
          ) : (
            <Empty title="Nothing has arrived yet">
              Drop a file above, or let a program send to it under the name {feed.path}.
            </Empty>
          )
        }
      </Query>
      {refused && <RefusedItemsDialog feed={feed} delivery={refused} onClose={() => setRefused(null)} />}
      {back && <TakeBackDialog feed={feed} delivery={back} onClose={() => setBack(null)} />}
    </>
  );
}

/** What became of a delivery, where that is more than its counts. */
function fate(row: Delivery): string {
  if (row.taken_back_at) return `Taken back ${momentName(row.taken_back_at)}`;
  if (row.takes_back) return 'Takes a delivery back';
  return row.first_refusal ?? '';
}
