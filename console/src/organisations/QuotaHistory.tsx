/** What an organisation and its projects might have when: asked for when somebody wants to see it. */
import { Box, Button } from '@mui/material';
import { useInfiniteQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, body } from '../shared/api';
import { momentName } from '../shared/dates';
import { formatQuantity } from '../shared/decimal';
import { Section } from '../shared/Page';
import { Query } from '../shared/States';
import { formatUnit } from '../shared/units';
import { type Organisation, measureName } from './organisations';

const AT_ONCE = 20;

export function QuotaHistory({ organisation }: { organisation: Organisation }) {
  const [open, setOpen] = useState(false);
  return (
    <Section
      title="What it might have when"
      aside={
        <Button aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? 'Hide the history' : 'Show the history'}
        </Button>
      }
    >
      {open && <Changes organisation={organisation.slug} />}
    </Section>
  );
}

function Changes({ organisation }: { organisation: string }) {
  const changes = useInfiniteQuery({
    queryKey: ['quotas', organisation, 'changes'],
    initialPageParam: undefined as number | undefined,
    queryFn: async ({ pageParam }) =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/quotas/changes', {
          params: {
            path: { organisation },
            query: { limit: AT_ONCE, ...(pageParam && { after: pageParam }) },
          },
        }),
      ),
    getNextPageParam: (page) => (page.next === null ? undefined : Number(page.next)),
  });
  return (
    <Query query={changes} rows={3}>
      {({ pages }) => {
        const items = pages.flatMap((page) => page.items);
        return (
          <>
            <Box component="ol" sx={{ m: 0, p: 0, listStyle: 'none', fontSize: '0.9rem', lineHeight: 1.9 }}>
              {items.map((each) => (
                <li key={each.id}>
                  <Box component="span" sx={{ color: 'text.secondary', mr: 1.5 }}>
                    {momentName(each.changed_at)}
                  </Box>
                  {measureName(each.measure)}
                  {each.project && ` of ${each.project}`}
                  {each.site && ` at ${each.site}`}
                  {each.pool && `, ${each.pool}`}:{' '}
                  {each.released
                    ? 'given back'
                    : each.limit === null
                      ? 'no limit'
                      : `${formatQuantity(each.limit)} ${formatUnit(each.unit, each.limit)}`}
                </li>
              ))}
            </Box>
            {!items.length && <Box sx={{ color: 'text.secondary' }}>No limit of it was ever set.</Box>}
            {changes.hasNextPage && (
              <Button loading={changes.isFetchingNextPage} onClick={() => void changes.fetchNextPage()}>
                Earlier ones
              </Button>
            )}
          </>
        );
      }}
    </Query>
  );
}
