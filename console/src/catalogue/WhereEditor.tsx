/** Conditions on attributes: exactly, one of, begins with, contains. */
import { Box } from '@mui/material';
import type { Where } from './catalogue';
import { Add, Line, Remove, Select } from './fields';
import { conditionOf, howOf, textOf } from './rates';

/** How one thing is compared, and with what. */
export function ConditionEditor({
  compared = 'Is',
  label = 'Value',
  value,
  onChange,
}: {
  /** Labels of how it is compared, and with what. */
  compared?: string;
  label?: string;
  value: Where;
  onChange: (value: Where) => void;
}) {
  return (
    <>
      <Select
        label={compared}
        value={howOf(value)}
        width={120}
        onChange={(how) => onChange(conditionOf(how, textOf(value)))}
        options={[
          ['equals', 'exactly'],
          ['one-of', 'one of'],
          ['prefix', 'begins with'],
          ['contains', 'contains'],
        ]}
      />
      <Line
        label={label}
        value={textOf(value)}
        width={150}
        onChange={(text) => onChange(conditionOf(howOf(value), text))}
      />
    </>
  );
}

export function WhereEditor({
  value,
  onChange,
}: {
  value: Record<string, Where> | undefined;
  onChange: (value: Record<string, Where>) => void;
}) {
  const entries = Object.entries(value ?? {});
  const put = (index: number, name: string, where: Where) =>
    onChange(Object.fromEntries(entries.map((each, place) => (place === index ? [name, where] : each))));
  return (
    <>
      {entries.map(([name, where], index) => (
        <Box key={index} sx={{ display: 'flex', gap: 0.5 }}>
          <Line label="Where" value={name} width={110} onChange={(next) => put(index, next, where)} />
          <ConditionEditor value={where} onChange={(next) => put(index, name, next)} />
          <Remove
            what={`condition ${name}`}
            onClick={() => onChange(Object.fromEntries(entries.filter((_, place) => place !== index)))}
          />
        </Box>
      ))}
      <Add what="condition" onClick={() => onChange({ ...value, '': '' })} />
    </>
  );
}
