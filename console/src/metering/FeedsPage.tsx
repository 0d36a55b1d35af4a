/** Feeds: how usage comes in, and what arrived. */
import { Box, MenuItem, TextField } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';
import { useSignedIn } from '../access/session';
import { DataTable } from '../shared/DataTable';
import { momentName } from '../shared/dates';
import { formatCount } from '../shared/decimal';
import { Page } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { type Feed, deliveriesOptions, feedsOptions } from './metering';

export default function FeedsPage() {
  const { home } = useSignedIn();
  const feeds = useQuery(feedsOptions(home.organisation));
  const [params, setParams] = useSearchParams();
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
            filters={
              feed && (
                <TextField
                  select
                  label="Feed"
                  value={feed.path}
                  sx={{ minWidth: 220 }}
                  onChange={(event) => setParams({ feed: event.target.value }, { replace: true })}
                >
                  {found.map((each) => (
                    <MenuItem key={each.path} value={each.path}>
                      {each.path}
                    </MenuItem>
                  ))}
                </TextField>
              )
            }
          >
            {feed ? (
              <Deliveries feed={feed} />
            ) : (
              <Empty title="No feeds yet">
                Make one: <code>gradumen feeds create SLUG --name NAME</code>
              </Empty>
            )}
          </Page>
        );
      }}
    </Query>
  );
}

function Deliveries({ feed }: { feed: Feed }) {
  const deliveries = useQuery(deliveriesOptions(feed.path));
  return (
    <Query query={deliveries}>
      {(found) =>
        found.length ? (
          <DataTable
            name="deliveries"
            label="Deliveries"
            rows={found}
            rowKey={(row) => String(row.id)}
            columns={[
              { key: 'at', title: 'Received, UTC', cell: (row) => momentName(row.received_at) },
              { key: 'accepted', title: 'Accepted', number: true, cell: (row) => formatCount(row.accepted) },
              { key: 'known', title: 'Known already', number: true, cell: (row) => formatCount(row.known) },
              {
                key: 'refused',
                title: 'Refused',
                number: true,
                cell: (row) => (
                  <Box
                    component="span"
                    sx={{
                      color: row.refused ? 'error.main' : undefined,
                      fontWeight: row.refused ? 620 : undefined,
                    }}
                  >
                    {formatCount(row.refused)}
                  </Box>
                ),
              },
              { key: 'why', title: 'First refusal', width: '45%', cell: (row) => row.first_refusal ?? '' },
            ]}
          />
        ) : (
          <Empty title="Nothing has arrived yet">
            Send a file: <code>gradumen readings send FILE --feed {feed.path}</code>
          </Empty>
        )
      }
    </Query>
  );
}
