/** A tree of thousands: opened where one looks, or searched. */
import { Box, Button, IconButton } from '@mui/material';
import { keepPreviousData, useQueries, useQuery } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import { useSignedIn } from '../access/session';
import { formatCount } from '../shared/decimal';
import { Empty, Query } from '../shared/States';
import { OrganisationTree } from './OrganisationTree';
import { type Branch, type Organisation, organisationOptions, organisationsOptions } from './organisations';

const AT_ONCE = 100;
/** So many one list has at most; beyond that one searches. */
const MOST = 2000;

interface Props {
  search: string;
  state?: string;
  tag?: string;
  onOpen: (slug: string) => void;
}

export function LargeTree(props: Props) {
  return props.search || props.state || props.tag ? <Found {...props} /> : <Opened {...props} />;
}

function Found({ search, state, tag, onOpen }: Props) {
  const [limit, setLimit] = useState(AT_ONCE);
  const found = useQuery({
    ...organisationsOptions({ search, limit, ...(state && { state }), ...(tag && { tag }) }),
    placeholderData: keepPreviousData,
  });
  return (
    <Query query={found} rows={12}>
      {(page) =>
        page.items.length ? (
          <Box>
            <OrganisationTree
              branches={page.items.map((organisation) => ({ organisation, depth: 0 }))}
              onOpen={onOpen}
            />
            {page.next !== null && <More count={limit} onClick={() => setLimit(limit + AT_ONCE)} />}
          </Box>
        ) : (
          <Empty title={state || tag ? 'No organisation is so' : 'No organisation has that in its name'}>
            Search for something else.
          </Empty>
        )
      }
    </Query>
  );
}

/** What is open, and how many are shown of each; at first those at the top. */
function Opened({ onOpen }: Props) {
  const { session } = useSignedIn();
  const own = session.memberships.map((each) => each.organisation);
  const [shown, setShown] = useState<Record<string, number>>(() =>
    Object.fromEntries(own.map((slug) => [slug, AT_ONCE])),
  );
  const roots = useQueries({ queries: own.map((slug) => organisationOptions(slug)) });
  const parents = Object.keys(shown);
  const pages = useQueries({
    queries: parents.map((parent) => ({
      ...organisationsOptions({ parent, limit: shown[parent] ?? AT_ONCE }),
      placeholderData: keepPreviousData,
    })),
  });
  const below = (slug: string) => pages[parents.indexOf(slug)]?.data;
  const walk = (organisation: Organisation, depth: number): Branch[] => [
    { organisation, depth },
    ...(below(organisation.slug)?.items ?? []).flatMap((each) => walk(each, depth + 1)),
  ];
  const tops = roots.flatMap((root) => (root.data && root.data.parent === null ? [root.data] : []));
  const toggle = (slug: string) =>
    setShown((before) => {
      const { [slug]: was, ...rest } = before;
      return was === undefined ? { ...before, [slug]: AT_ONCE } : rest;
    });
  const twig = (organisation: Organisation): ReactNode => (
    <Box sx={{ width: 28, alignSelf: 'center', flex: 'none' }}>
      {organisation.children > 0 && (
        <IconButton
          size="small"
          aria-expanded={organisation.slug in shown}
          aria-label={`Customers of ${organisation.name}, ${formatCount(organisation.children)}`}
          sx={{ fontSize: '0.8rem' }}
          onClick={(event) => {
            event.stopPropagation();
            toggle(organisation.slug);
          }}
        >
          {organisation.slug in shown ? '▾' : '▸'}
        </IconButton>
      )}
    </Box>
  );
  const branches = tops.flatMap((top) => walk(top, 0));
  const cut = branches.filter(({ organisation }) => below(organisation.slug)?.next != null);
  return (
    <Box>
      <OrganisationTree branches={branches} onOpen={onOpen} twig={twig} />
      {cut.map(({ organisation: { slug, name } }) => (
        <More
          key={slug}
          count={shown[slug] ?? AT_ONCE}
          of={name}
          onClick={() => setShown({ ...shown, [slug]: (shown[slug] ?? AT_ONCE) + AT_ONCE })}
        />
      ))}
    </Box>
  );
}

function More({ count, of, onClick }: { count: number; of?: string; onClick: () => void }) {
  return (
    <Box sx={{ mt: 1, display: 'flex', gap: 2, alignItems: 'center', fontSize: '0.84rem' }}>
      {of
        ? `The first ${formatCount(count)} customers of ${of}.`
        : `The first ${formatCount(count)} are shown.`}
      {count < MOST ? <Button onClick={onClick}>Show {AT_ONCE} more</Button> : 'Search for the others.'}
    </Box>
  );
}
