/** What needs whoever looks: the most pressing first, each with its reason and the way to it. */
import { Box, Button } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { Section } from '../shared/Page';
import { Query } from '../shared/States';
import { type ToDo, toDosOptions, wayOf } from './toDos';

export function NeedsYou({ organisation }: { organisation: string }) {
  const found = useQuery(toDosOptions(organisation));
  return (
    <Section title="Needs you">
      <Query query={found} rows={3}>
        {(items) =>
          items.length ? (
            <Box component="ul" sx={{ listStyle: 'none', m: 0, p: 0 }}>
              {items.map((each) => (
                <One key={`${each.kind} ${each.subject}`} todo={each} organisation={organisation} />
              ))}
            </Box>
          ) : (
            <Box sx={{ color: 'text.secondary', fontSize: '0.88rem' }}>
              Nothing at the moment: no work waits, feeds send, and nothing is about to change.
            </Box>
          )
        }
      </Query>
    </Section>
  );
}

function One({ todo, organisation }: { todo: ToDo; organisation: string }) {
  const { act, to } = wayOf(todo, organisation);
  return (
    <Box
      component="li"
      sx={{ display: 'flex', gap: 1.25, py: 1.1, borderBottom: '1px solid', borderColor: 'hairline' }}
    >
      <Mark weight={todo.weight} />
      <Box sx={{ flex: 1, minWidth: 0, overflowWrap: 'anywhere' }}>
        <Box sx={{ fontSize: '0.88rem', fontWeight: todo.weight === 'note' ? 450 : 560 }}>{todo.title}</Box>
        <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>{todo.detail}</Box>
      </Box>
      <Box>
        <Button variant="outlined" component={Link} to={to} aria-label={`${act}: ${todo.title}`}>
          {act}
        </Button>
      </Box>
    </Box>
  );
}

const WEIGHTS = {
  failed: { color: 'error.main', path: 'M6 1l5.5 10h-11z', says: 'failed' },
  look: { color: 'warning.main', path: 'M6 1.5a4.5 4.5 0 1 0 0 9a4.5 4.5 0 1 0 0-9z', says: 'to look at' },
  note: {
    color: 'text.secondary',
    path: 'M6 1.5a4.5 4.5 0 1 0 0 9a4.5 4.5 0 1 0 0-9zm0 1.4a3.1 3.1 0 1 1 0 6.2a3.1 3.1 0 1 1 0-6.2z',
    says: 'to know',
  },
} as const;

/** How pressing it is, by shape and in words as well as by colour. */
function Mark({ weight }: { weight: ToDo['weight'] }) {
  const { color, path, says } = WEIGHTS[weight];
  return (
    <Box sx={{ color, pt: '3px' }}>
      <svg width="12" height="12" viewBox="0 0 12 12" role="img" aria-label={says}>
        <path d={path} fill="currentColor" fillRule="evenodd" />
      </svg>
    </Box>
  );
}
