/** Two versions of a plan or rate card side by side: only what differs. */
import { MenuItem, TextField } from '@mui/material';
import { queryOptions, useQuery } from '@tanstack/react-query';
import { useSearchParams } from 'react-router';
import { api, body } from '../shared/api';
import { Differences } from './Differences';
import { Page } from '../shared/Page';
import { Empty, Query } from '../shared/States';
import { plansOptions, rateCardsOptions } from './catalogue';

interface Thing {
  key: string;
  name: string;
  versions: number[];
}

const differencesOptions = (of: string, before: number, after: number) =>
  queryOptions({
    queryKey: ['differences', of, before, after],
    queryFn: async () => {
      const [seller = '', slug = ''] = of.split('/');
      const query = { before, after };
      if (seller === 'plan')
        return body(await api.GET('/api/v1/plans/{slug}/differences', { params: { path: { slug }, query } }))
          .differences;
      return body(
        await api.GET('/api/v1/rate-cards/{seller}/{slug}/differences', {
          params: { path: { seller, slug }, query },
        }),
      ).differences;
    },
  });

const upTo = (count: number): number[] => Array.from({ length: count }, (_, index) => index + 1);

export default function DifferencesPage() {
  const plans = useQuery(plansOptions);
  const cards = useQuery(rateCardsOptions);
  const [params, setParams] = useSearchParams();
  const things: Thing[] = [
    ...(plans.data ?? []).map((each) => ({
      key: `plan/${each.slug}`,
      name: `Plan ${String(each.form.name)}`,
      versions: upTo(each.version),
    })),
    ...(cards.data ?? []).map((each) => ({
      key: `${each.seller}/${each.slug}`,
      name: `Rate card ${each.name}`,
      versions: each.versions.map((version) => version.number),
    })),
  ];
  const thing =
    things.find((each) => each.key === params.get('of')) ??
    things.find((each) => each.versions.length > 1) ??
    things[0];
  const last = thing?.versions.length ?? 1;
  const after = Number(params.get('after')) || last;
  const before = Number(params.get('before')) || Math.max(after - 1, 1);
  const found = useQuery({
    ...differencesOptions(thing?.key ?? '', before, after),
    enabled: thing !== undefined && before !== after,
  });
  const set = (values: Record<string, string>) =>
    setParams(
      { of: thing?.key ?? '', before: String(before), after: String(after), ...values },
      { replace: true },
    );
  return (
    <Page
      title="What changed between versions"
      lead="Published versions never change, so every price that ever held can be looked up here."
      filters={
        thing && (
          <>
            <TextField
              select
              label="Of"
              value={thing.key}
              sx={{ minWidth: 240 }}
              onChange={(event) => setParams({ of: event.target.value }, { replace: true })}
            >
              {things.map((each) => (
                <MenuItem key={each.key} value={each.key}>
                  {each.name}
                </MenuItem>
              ))}
            </TextField>
            {(['before', 'after'] as const).map((side) => (
              <TextField
                key={side}
                select
                label={side === 'before' ? 'From version' : 'To version'}
                value={String(side === 'before' ? before : after)}
                sx={{ minWidth: 110 }}
                onChange={(event) => set({ [side]: event.target.value })}
              >
                {thing.versions.map((number) => (
                  <MenuItem key={number} value={String(number)}>
                    {number}
                  </MenuItem>
                ))}
              </TextField>
            ))}
          </>
        )
      }
    >
      {thing && before === after && (
        <Empty title={thing.versions.length > 1 ? 'These are the same version' : 'There is one version only'}>
          {thing.versions.length > 1 ? 'Choose two.' : 'The next one can be compared with it.'}
        </Empty>
      )}
      {thing && before !== after && (
        <Query query={found}>
          {(rows) =>
            rows.length ? <Differences rows={rows} /> : <Empty title="These versions do not differ" />
          }
        </Query>
      )}
    </Page>
  );
}
