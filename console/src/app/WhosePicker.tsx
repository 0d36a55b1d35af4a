/** Picks whose figures to look at: an organisation found by its name or its slug. */
import { Box, Popover } from '@mui/material';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { useSignedIn } from '../access/session';
import { organisationsOptions } from '../organisations/organisations';
import { MONO } from '../shared/theme';
import { Found, type Findable } from './Found';

const SHOWN = 30;

export default function WhosePicker(props: {
  at: HTMLElement;
  onClose: () => void;
  own: boolean;
  onChosen: (slug: string) => void;
}) {
  const { at, onClose, own, onChosen } = props;
  const { session } = useSignedIn();
  const [typed, setTyped] = useState('');
  const search = useDeferredValue(typed.trim());
  const mine = session.memberships
    .map(({ organisation, name }) => ({ slug: organisation, name }))
    .filter((each) => `${each.slug} ${each.name}`.toLowerCase().includes(search.toLowerCase()));
  const others = useQuery({
    ...organisationsOptions({ search, limit: SHOWN }),
    placeholderData: keepPreviousData,
    enabled: !own,
  });
  const below = (own ? [] : (others.data?.items ?? [])).filter(
    (each) => !mine.some((one) => one.slug === each.slug),
  );
  const found: Findable[] = [...mine, ...below].map((each) => ({
    key: each.slug,
    title: each.name,
    note: (
      <Box component="span" sx={{ fontFamily: MONO, fontSize: '0.76rem' }}>
        {each.slug}
      </Box>
    ),
    choose: () => onChosen(each.slug),
  }));
  return (
    <Popover open anchorEl={at} onClose={onClose} anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}>
      <Box role="dialog" aria-label="Whose figures" sx={{ width: 380, maxWidth: '90vw' }}>
        <Found
          label="Organisation"
          typed={typed}
          onTyped={setTyped}
          found={found}
          loading={others.isLoading}
          more={others.data?.next != null}
          none="No organisation has that in its name"
        />
      </Box>
    </Popover>
  );
}
