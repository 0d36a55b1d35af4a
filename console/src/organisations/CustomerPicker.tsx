/** Oneself or a customer, found by name: of thousands the first few, and whatever one types. */
import { Autocomplete, TextField } from '@mui/material';
import { keepPreviousData, useQueries, useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { useSignedIn } from '../access/session';
import { organisationOptions, organisationsOptions } from './organisations';

const SHOWN = 20;

export interface Named {
  slug: string;
  name: string;
}

/**
 * The customers of whom one may choose, with some text in their names, after the organisations one belongs to.
 * With `everybody` customers of customers too.
 */
export function useCustomers(search: string, everybody = false): Named[] {
  const { session } = useSignedIn();
  const sellers = session.memberships.filter((each) => each.type !== 'tenant');
  const asked = everybody ? [{}] : sellers.map(({ organisation }) => ({ parent: organisation }));
  const pages = useQueries({
    queries: asked.map((of) => ({
      ...organisationsOptions({ ...of, search, limit: SHOWN }),
      placeholderData: keepPreviousData,
    })),
  });
  const own = session.memberships
    .map(({ organisation, name }) => ({ slug: organisation, name }))
    .filter((each) => `${each.slug} ${each.name}`.toLowerCase().includes(search.toLowerCase()));
  const known = new Set(own.map((each) => each.slug));
  const customers = pages.flatMap((page) => page.data?.items ?? []).filter((each) => !known.has(each.slug));
  return [...customers, ...own];
}

export function CustomerPicker({
  label,
  value,
  onChange,
  everybody = false,
}: {
  label: string;
  value: string;
  onChange: (slug: string) => void;
  everybody?: boolean;
}) {
  const [typed, setTyped] = useState('');
  const options = useCustomers(useDeferredValue(typed.trim()), everybody);
  // Not out of the options: while one types they are others, and who is chosen stays.
  const { data: chosen = null } = useQuery({ ...organisationOptions(value), enabled: value !== '' });
  return (
    <Autocomplete
      options={options}
      filterOptions={(found) => found}
      value={chosen as Named | null}
      disableClearable={chosen !== null}
      getOptionKey={(each) => each.slug}
      getOptionLabel={(each) => each.name}
      isOptionEqualToValue={(left, right) => left.slug === right.slug}
      onChange={(_, next) => next && onChange(next.slug)}
      onInputChange={(_, text, reason) => setTyped(reason === 'input' ? text : '')}
      noOptionsText="Nobody has that in the name"
      sx={{ minWidth: 220 }}
      renderInput={(props) => <TextField {...props} label={label} />}
    />
  );
}
