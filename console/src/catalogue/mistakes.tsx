/** Mistakes of a written form where they are: beside the fields that a path leads to, and one press away. */
import { Box, Button } from '@mui/material';
import { createContext, type ReactNode, useContext } from 'react';
import type { Form, Mistake } from './unpublishedChanges';

/** What was found wrong with the form that is being written. */
export const Mistakes = createContext<readonly Mistake[]>([]);

/** Whether a path leads to a place, or into it. */
export const within = (path: string, place: string) =>
  path === place || path.startsWith(`${place}.`) || path.startsWith(`${place}[`);

/** Fields of one place of the form; what is wrong with any of them stands below them. */
export function At({ place, children }: { place: string; children: ReactNode }) {
  const found = useContext(Mistakes).filter((mistake) => within(mistake.path, place));
  return (
    <Box
      data-place={place}
      sx={
        found.length
          ? { borderLeft: '3px solid', borderColor: 'error.main', pl: 1.25, scrollMarginTop: 120 }
          : undefined
      }
    >
      {children}
      {found.length > 0 && (
        <Box role="alert" sx={{ color: 'error.main', fontSize: '0.84rem', py: 0.5 }}>
          {found.map((mistake, index) => (
            <div key={index}>{mistake.message}</div>
          ))}
        </Box>
      )}
    </Box>
  );
}

/** The first field of the place that a mistake is in gets the focus. */
function show(path: string) {
  const places = [...document.querySelectorAll<HTMLElement>('[data-place]')];
  const place = places.find((each) => within(path, each.dataset.place ?? ''));
  place?.scrollIntoView({ block: 'center' });
  place?.querySelector<HTMLElement>('input, textarea, [role="combobox"]')?.focus({ preventScroll: true });
}

const WHAT: Record<string, [string, string]> = {
  rates: ['Rate', 'rate'],
  discounts: ['Discount', 'discount'],
  tiers: ['Tier', 'tier'],
  floors: ['Floor', ''],
};
const PART: Record<string, string> = { blocks: 'block', phases: 'phase' };
const whole = (word: string) => word.replace(/^./, (first) => first.toUpperCase()).replaceAll('-', ' ');

/**
 * A path in words, things by what they are called in the form.
 *
 * `rates[0].blocks[1]` of a card whose first rate is *egress*: *Rate egress, block 2*.
 */
export function placeWords(path: string, form: Form): string {
  let node: unknown = form;
  const words: string[] = [];
  for (const [, name = '', index] of path.matchAll(/([^.[\]]+)(?:\[(\d+)\])?/g)) {
    node = (node as Record<string, unknown> | undefined)?.[name];
    if (index === undefined) {
      words.push(name);
      continue;
    }
    node = (node as unknown[] | undefined)?.[Number(index)];
    const [title, key] = WHAT[name] ?? [PART[name] ?? name, ''];
    const called = (node as Record<string, unknown> | undefined)?.[key];
    words.push(`${title} ${typeof called === 'string' && called ? called : Number(index) + 1}`);
  }
  return whole(words.join(', '));
}

/** All that was found wrong, each with the way to it. */
export function MistakeList({ form }: { form: Form }) {
  const found = useContext(Mistakes);
  return (
    <>
      {found.length === 1 ? 'One mistake keeps this from being published:' : `${found.length} mistakes:`}
      <Box component="ul" sx={{ m: 0, pl: 2.5 }}>
        {found.map((mistake, index) => (
          <li key={index}>
            <Button
              size="small"
              color="inherit"
              onClick={() => show(mistake.path)}
              sx={{
                p: 0,
                minWidth: 0,
                fontWeight: 600,
                textDecoration: 'underline',
                verticalAlign: 'baseline',
              }}
            >
              {placeWords(mistake.path, form)}
            </Button>
            : {mistake.message}
          </li>
        ))}
      </Box>
    </>
  );
}
