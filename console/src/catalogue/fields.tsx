/** Small fields that the catalogue's editors are made of: plain data in, changed plain data out. */
import { Box, Button, IconButton, MenuItem, TextField } from '@mui/material';
import { type ReactNode, useContext, useState } from 'react';
import * as z from 'zod/mini';
import { Mistakes, within } from './mistakes';

/** What a field itself can tell: an exact number, a whole one, an amount that may be given back, and a time of day. */
export const NUMBER = z.string().check(z.regex(/^\s*\d+(\.\d+)?\s*$/, 'A number, as in 12.5'));
export const WHOLE = z.string().check(z.regex(/^\s*\d+\s*$/, 'A whole number'));
export const SIGNED = z.string().check(z.regex(/^\s*[-+]?\d+(\.\d+)?\s*$/, 'A number, as in 12.5 or -3'));
export const TIME = z.string().check(z.regex(/^([01]\d|2[0-4]):[0-5]\d$/, 'As in 07:30'));

interface LineProps {
  /** Where it is in the form, for what is found wrong with it. */
  place?: string;
  label: string;
  value: string | number | undefined;
  onChange: (value: string) => void;
  width?: number | string;
  help?: string;
  /** What is typed has to look like this; said once the field is left. */
  check?: z.ZodMiniType<string>;
  /** What is wrong with it. */
  problem?: string | undefined;
  multiline?: boolean;
  options?: readonly string[];
  /** Said to a screen reader in place of the label, where labels repeat. */
  spoken?: string;
}

/** One line of text; with options, the browser proposes them. */
export function Line(props: LineProps) {
  const { place, label, value, onChange, width = 200, help, multiline, options, spoken, check } = props;
  const [typing, setTyping] = useState(false);
  const wrong = useContext(Mistakes).find(
    (mistake) => place !== undefined && within(mistake.path, place),
  )?.message;
  const odd =
    check && !typing && value ? check.safeParse(String(value)).error?.issues[0]?.message : undefined;
  const problem = odd ?? props.problem ?? wrong;
  const list = options && `${label.replaceAll(' ', '-')}-options`;
  return (
    <>
      <TextField
        label={label}
        value={value ?? ''}
        onChange={(event) => onChange(event.target.value)}
        onFocus={() => setTyping(true)}
        onBlur={() => setTyping(false)}
        data-place={place}
        sx={{ width }}
        error={problem !== undefined}
        helperText={problem ?? help}
        multiline={multiline}
        minRows={multiline ? 2 : undefined}
        slotProps={{ htmlInput: { list, 'aria-label': spoken } }}
      />
      {list && (
        <datalist id={list}>
          {options.map((option) => (
            <option key={option} value={option} />
          ))}
        </datalist>
      )}
    </>
  );
}

/** One of a few values; the empty one is left out of the form. */
export function Select({
  label,
  value,
  onChange,
  options,
  width = 150,
}: {
  label: string;
  value: string | undefined;
  onChange: (value: string) => void;
  options: readonly (string | readonly [string, string])[];
  width?: number | string;
}) {
  const known = options.map((option) => (typeof option === 'string' ? ([option, option] as const) : option));
  return (
    <TextField
      select
      label={label}
      value={value ?? ''}
      onChange={(event) => onChange(event.target.value)}
      sx={{ width }}
      slotProps={
        known.some(([key]) => key === '')
          ? { select: { displayEmpty: true }, inputLabel: { shrink: true } }
          : undefined
      }
    >
      {known.map(([key, name]) => (
        <MenuItem key={key} value={key}>
          {name}
        </MenuItem>
      ))}
    </TextField>
  );
}

/** A list of words, written with commas. */
export function Words({
  place,
  label,
  value,
  onChange,
  width = 260,
  help,
}: {
  place?: string;
  label: string;
  value: string[] | undefined;
  onChange: (value: string[]) => void;
  width?: number | string;
  help?: string;
}) {
  return (
    <Line
      place={place}
      label={label}
      value={(value ?? []).join(', ')}
      width={width}
      help={help}
      onChange={(text) =>
        onChange(
          text
            .split(',')
            .map((word, index, all) => (index === all.length - 1 ? word.trimStart() : word.trim()))
            .filter((word, index, all) => word || index === all.length - 1),
        )
      }
    />
  );
}

/** Names with a value each, one pair a line. */
export function Pairs({
  title,
  value,
  onChange,
  nameLabel,
  valueLabel,
  options,
  adds,
}: {
  title: string;
  /** What the button adds. */
  adds: string;
  value: Record<string, string> | undefined;
  onChange: (value: Record<string, string>) => void;
  nameLabel: string;
  valueLabel: string;
  options?: readonly string[];
}) {
  const entries = Object.entries(value ?? {});
  const replace = (index: number, pair: [string, string]) =>
    onChange(Object.fromEntries(entries.map((each, place) => (place === index ? pair : each))));
  return (
    <Group title={title}>
      {entries.map(([name, text], index) => (
        <Box
          key={index}
          sx={{ display: 'grid', gridTemplateColumns: '5fr 4fr 30px', gap: 1, alignItems: 'start' }}
        >
          <Line
            label={nameLabel}
            value={name}
            options={options}
            width="100%"
            onChange={(next) => replace(index, [next, text])}
          />
          <Line
            label={valueLabel}
            value={text}
            width="100%"
            onChange={(next) => replace(index, [name, next])}
          />
          <Remove
            what={`${title} ${name}`}
            onClick={() => onChange(Object.fromEntries(entries.filter((_, place) => place !== index)))}
          />
        </Box>
      ))}
      <Add what={adds} onClick={() => onChange({ ...value, '': '' })} />
    </Group>
  );
}

/** Fields that belong together. */
export function Group({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box role="group" aria-label={title} sx={{ display: 'grid', gap: 1 }}>
      <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>{title}</Box>
      {children}
    </Box>
  );
}

/** Fields side by side as far as they fit. */
export function Row({ children }: { children: ReactNode }) {
  return <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1, alignItems: 'flex-start' }}>{children}</Box>;
}

export function Add({ what, onClick }: { what: string; onClick: () => void }) {
  return (
    <Box>
      <Button onClick={onClick}>Add {what}</Button>
    </Box>
  );
}

export function Remove({ what, onClick }: { what: string; onClick: () => void }) {
  return (
    <IconButton aria-label={`Remove ${what}`} onClick={onClick} size="small" sx={{ mt: 0.5 }}>
      <svg width="16" height="16" viewBox="0 0 16 16" aria-hidden="true">
        <path d="M4 4l8 8M12 4l-8 8" stroke="currentColor" strokeWidth="1.6" />
      </svg>
    </IconButton>
  );
}

/** A copy with one item of a list replaced. */
export const withItem = <T,>(list: readonly T[], index: number, item: T): T[] =>
  list.map((each, place) => (place === index ? item : each));

/** A copy without an item. */
export const withoutItem = <T,>(list: readonly T[], index: number): T[] =>
  list.filter((_, place) => place !== index);

/** A copy of a form in which an empty value leaves its field out. */
export function change<T extends object>(form: T, field: string, value: unknown): T {
  const empty =
    value === '' ||
    value === undefined ||
    (Array.isArray(value) && value.length === 0) ||
    (typeof value === 'object' && value !== null && Object.keys(value).length === 0);
  const others = Object.entries(form).filter(([name]) => name !== field);
  if (empty) return Object.fromEntries(others) as T;
  return field in form ? { ...form, [field]: value } : (Object.fromEntries([...others, [field, value]]) as T);
}
