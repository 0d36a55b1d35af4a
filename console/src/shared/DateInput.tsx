/** Days are picked or typed; to the service they are texts of year, month and day. */
import { Box } from '@mui/material';
import { AdapterDayjs } from '@mui/x-date-pickers/AdapterDayjs';
import { DatePicker } from '@mui/x-date-pickers/DatePicker';
import { LocalizationProvider } from '@mui/x-date-pickers/LocalizationProvider';
import type { FieldRef } from '@mui/x-date-pickers/models';
import dayjs, { type Dayjs } from 'dayjs';
import { useRef, useState } from 'react';
import { useController } from 'react-hook-form';

const WRITTEN = 'YYYY-MM-DD';
/** What stands for a day that is not written to its end; no form and no service takes it for one. */
export const UNFINISHED = 'unfinished';

export function DayPicker(props: {
  label: string;
  value: string;
  onChange: (day: string) => void;
  problem?: string | undefined;
  hint?: string | undefined;
  optional?: boolean;
  width?: number | string;
}) {
  const { label, value, onChange, hint, optional, width } = props;
  const field = useRef<FieldRef<Dayjs | null>>(null);
  const [held, setHeld] = useState<Dayjs | null>(null);
  const [left, setLeft] = useState(false);
  const problem = props.problem ?? (left && value === UNFINISHED ? 'Year, month and day' : undefined);
  // A day that is half written is not an empty one: taken for that, it would let something go on. The field itself
  // says nothing of it, or that there is none, so its parts are looked at once it has taken what was typed.
  const look = () =>
    setTimeout(() => {
      const parts = field.current?.getSections().map((each) => each.value !== '') ?? [];
      if (parts.includes(true) && parts.includes(false)) onChange(UNFINISHED);
      else if (value === UNFINISHED && !parts.includes(true)) onChange('');
    });
  return (
    <LocalizationProvider dateAdapter={AdapterDayjs}>
      <Box
        onKeyUp={look}
        onInput={look}
        onPaste={look}
        onFocus={() => setLeft(false)}
        onBlur={() => {
          look();
          setLeft(true);
        }}
        sx={{ width: width ?? '100%' }}
      >
        <DatePicker
          label={label}
          format={WRITTEN}
          value={value === UNFINISHED ? held : value ? dayjs(value) : null}
          onChange={(day) => {
            setHeld(day);
            onChange(day === null ? '' : day.isValid() ? day.format(WRITTEN) : UNFINISHED);
          }}
          slotProps={{
            textField: {
              size: 'small',
              required: !optional,
              sx: { width: '100%' },
              ...(problem ? { error: true } : {}),
              helperText: problem ?? hint,
            },
            field: { clearable: Boolean(optional), fieldRef: field },
          }}
        />
      </Box>
    </LocalizationProvider>
  );
}

/** A day of a form. */
export function DateInput(props: {
  name: string;
  label: string;
  hint?: string;
  optional?: boolean;
  columns?: number;
}) {
  const { name, columns = 6, ...rest } = props;
  const { field, fieldState } = useController({ name });
  return (
    <Box sx={{ gridColumn: { xs: '1 / -1', sm: `span ${columns}` } }}>
      <DayPicker
        {...rest}
        value={field.value as string}
        onChange={field.onChange}
        problem={fieldState.error?.message}
      />
    </Box>
  );
}
