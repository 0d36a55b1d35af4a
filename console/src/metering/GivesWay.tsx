/** A feed that gives way to others, where they measure the same: said and changed. */
import { Alert, Box, Button, Checkbox, FormControlLabel, FormGroup, FormLabel } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import { api, body } from '../shared/api';
import { DateInput } from '../shared/DateInput';
import { EntryDialog, OwnInput, Remark, day } from '../shared/form';
import type { Feed } from './metering';
import { type First, precedencesOptions, stayWords, waysWords } from './precedences';

interface Props {
  feed: Feed;
  feeds: Feed[];
  manages: boolean;
}

export function GivesWay({ feed, feeds, manages }: Props) {
  const organisation = feed.path.split('/')[0] ?? '';
  const { data } = useQuery(precedencesOptions(organisation));
  const [changing, setChanging] = useState(false);
  if (!data || feeds.length < 2) return null;
  const own = data.find((each) => each.feed === feed.path);
  const to = own?.to ?? [];
  const name = (path: string) => feeds.find((each) => each.path === path)?.name ?? path;
  const followers = data.filter((each) => each.to.some((first) => first.feed === feed.path));
  const change = (words: string) => manages && <Button onClick={() => setChanging(true)}>{words}</Button>;
  return (
    <>
      {to.length > 0 && (
        <Alert severity="info" variant="outlined" sx={{ mb: 2 }} action={change('Change')}>
          Gives way to {waysWords(to, name)}: where they measure the same, theirs counts.{' '}
          {stayWords(to, own?.fixed_before ?? null)}
        </Alert>
      )}
      {(followers.length > 0 || (manages && !to.length)) && (
        <Box sx={{ display: 'flex', alignItems: 'center', gap: 1, flexWrap: 'wrap', mb: 1 }}>
          <Remark>
            {followers.length > 0
              ? `${followers.map((each) => name(each.feed)).join(', ')} gives way to it.`
              : 'What another feed measures too counts twice, unless one gives way.'}
          </Remark>
          {!to.length && change('Let it give way')}
        </Box>
      )}
      {changing && <WayDialog feed={feed} feeds={feeds} to={to} onClose={() => setChanging(false)} />}
    </>
  );
}

function WayDialog(props: { feed: Feed; feeds: Feed[]; to: First[]; onClose: () => void }) {
  const { feed, feeds, to, onClose } = props;
  const queries = useQueryClient();
  const { session } = useSignedIn();
  const others = feeds.filter((each) => each.path !== feed.path);
  return (
    <EntryDialog
      title={`Where another measures what ${feed.name} does`}
      act="Save"
      schema={z.object({ to: z.array(z.string()), starts_on: day('From which day on') })}
      initial={{
        to: to.map((each) => each.feed),
        starts_on: to[0]?.starts_on ?? `${session.now.slice(0, 7)}-01`,
      }}
      save={async (values) => {
        const kept = (path: string) => to.find((each) => each.feed === path)?.starts_on;
        const untouched = values.starts_on === to[0]?.starts_on;
        const wanted = values.to.map((path) => ({
          feed: path,
          starts_on: (untouched && kept(path)) || values.starts_on,
        }));
        body(
          await api.PUT('/api/v1/feeds/precedences', {
            params: { query: { feed: feed.path } },
            body: { to: wanted },
          }),
        );
        await queries.invalidateQueries({ queryKey: ['feed precedences'] });
      }}
      onClose={onClose}
    >
      <OwnInput<string[]> name="to">
        {(value, onChange) => (
          <>
            <FormLabel id="gives-way-to">It gives way to</FormLabel>
            <FormGroup aria-labelledby="gives-way-to" role="group">
              {others.map((each) => (
                <FormControlLabel
                  key={each.path}
                  label={each.name}
                  control={
                    <Checkbox
                      checked={value.includes(each.path)}
                      onChange={(_, yes) =>
                        onChange(yes ? [...value, each.path] : value.filter((path) => path !== each.path))
                      }
                    />
                  }
                />
              ))}
            </FormGroup>
          </>
        )}
      </OwnInput>
      <DateInput name="starts_on" label="From (UTC)" />
      <Remark>
        In each hour in which one of them measures a resource and meter that this feed measures too, theirs
        counts and this one is compared with it. Resources are the same where they have the same name.
      </Remark>
    </EntryDialog>
  );
}
