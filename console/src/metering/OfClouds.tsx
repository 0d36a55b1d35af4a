/** Which clouds a feed measures: what is used in an account there is of the customer that has it. */
import { Alert, Box, Button, Checkbox, FormControlLabel, FormGroup } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import * as z from 'zod/mini';
import { api, body } from '../shared/api';
import { EntryDialog, OwnInput, Remark } from '../shared/form';
import { type CloudFeed, cloudFeedsOptions, measuredWords } from './cloudFeeds';
import type { Feed } from './metering';

export function OfClouds({ feed, manages }: { feed: Feed; manages: boolean }) {
  const { data } = useQuery(cloudFeedsOptions(feed.path.split('/')[0] ?? ''));
  const [changing, setChanging] = useState(false);
  if (!data?.length) return null;
  const measured = data.filter((each) => each.feed === feed.path);
  const free = data.some((each) => each.feed === null);
  return (
    <>
      {measured.length > 0 ? (
        <Alert
          severity="info"
          variant="outlined"
          sx={{ mb: 2 }}
          action={manages && <Button onClick={() => setChanging(true)}>Change</Button>}
        >
          {measuredWords(measured)}
        </Alert>
      ) : (
        manages &&
        free && (
          <Box sx={{ display: 'flex', alignItems: 'center', gap: 1, flexWrap: 'wrap', mb: 1 }}>
            <Remark>
              Where it measures a cloud, what is used in an account there can be of its customer by itself.
            </Remark>
            <Button onClick={() => setChanging(true)}>It measures a cloud</Button>
          </Box>
        )
      )}
      {changing && <CloudsDialog feed={feed} clouds={data} onClose={() => setChanging(false)} />}
    </>
  );
}

function CloudsDialog(props: { feed: Feed; clouds: CloudFeed[]; onClose: () => void }) {
  const { feed, clouds, onClose } = props;
  const queries = useQueryClient();
  const before = clouds.filter((each) => each.feed === feed.path).map((each) => each.id);
  return (
    <EntryDialog
      title={`Clouds that ${feed.name} measures`}
      act="Save"
      schema={z.object({ clouds: z.array(z.string()) })}
      initial={{ clouds: before }}
      save={async (values) => {
        for (const each of clouds) {
          const params = { path: { cloud: each.id } };
          if (values.clouds.includes(each.id))
            body(await api.PUT('/api/v1/clouds/{cloud}/feed', { params, body: { feed: feed.path } }));
          else if (before.includes(each.id)) await api.DELETE('/api/v1/clouds/{cloud}/feed', { params });
        }
        await queries.invalidateQueries({ queryKey: ['cloud feeds'] });
      }}
      onClose={onClose}
    >
      <OwnInput<string[]> name="clouds">
        {(value, onChange) => (
          <FormGroup aria-label="Clouds that it measures" role="group">
            {clouds.map((each) => (
              <FormControlLabel
                key={each.id}
                label={each.cloud_name + elsewhere(each, feed)}
                control={
                  <Checkbox
                    checked={value.includes(each.id)}
                    onChange={(_, on) =>
                      onChange(on ? [...value, each.id] : value.filter((one) => one !== each.id))
                    }
                  />
                }
              />
            ))}
          </FormGroup>
        )}
      </OwnInput>
      <Remark>
        Each account that is there, or comes, stands in a rule of ownership from that day on: what is used in
        it is of the project that it was made for. Rules stay where a cloud is taken off again.
      </Remark>
    </EntryDialog>
  );
}

const elsewhere = (cloud: CloudFeed, feed: Feed): string =>
  cloud.feed && cloud.feed !== feed.path ? ` (by ${cloud.feed} so far)` : '';
