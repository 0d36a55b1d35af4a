/**
 * Forms: values with a schema, fields that are named by it, and refusals of the service where they belong.
 *
 * What a field itself can tell is said at the field before anything is sent; what the service refuses is said at the
 * field that it names, else above the buttons.
 */
import {
  Alert,
  Box,
  Button,
  Checkbox,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  FormControl,
  FormControlLabel,
  FormHelperText,
  MenuItem,
  TextField,
} from '@mui/material';
import { zodResolver } from '@hookform/resolvers/zod';
import { useMutation } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import {
  type DefaultValues,
  type FieldValues,
  FormProvider,
  type Path,
  useController,
  useForm,
} from 'react-hook-form';
import * as z from 'zod/mini';
import { Refusal } from './api';

// Compiled checks would need a policy that lets text become code.
z.config({ jitless: true });

/** Some text that has to be there. */
export const given = (words: string) => z.string().check(z.trim(), z.minLength(1, words));

/** A password as it was typed: spaces around it belong to it. */
export const password = (words: string) => z.string().check(z.minLength(1, words));

/** Where mail reaches somebody, and a password to be set. */
export const address = z.string().check(z.trim(), z.regex(/^\S+@\S+$/, 'An address, as in you@example.org'));
export const newPassword = z.string().check(z.minLength(12, 'At least 12 characters'));

/** How many pieces. */
export const whole = z.string().check(z.trim(), z.regex(/^[1-9]\d{0,5}$/, 'A whole number from 1 on'));

/** A day, and one that may be left out. */
export const day = (words: string) => z.string().check(z.regex(/^\d{4}-\d{2}-\d{2}$/, words));
export const optionalDay = z.string().check(z.regex(/^(\d{4}-\d{2}-\d{2})?$/, 'Finish the day, or empty it'));

/** A slug, as the service wants it. */
export const slug = z
  .string()
  .check(
    z.trim(),
    z.regex(
      /^[a-z0-9](-?[a-z0-9])*$/,
      'Small letters, digits and single hyphens between them, as in kestrel-row',
    ),
    z.maxLength(63, 'At most 63 letters'),
  );

/** An exact number, as text. */
export const decimal = (words = 'A number, as in 12.5') =>
  z.string().check(z.trim(), z.regex(/^\d+(\.\d+)?$/, words));

/** The same where it may be left out. */
export const optionalDecimal = z
  .string()
  .check(z.trim(), z.regex(/^(\d+(\.\d+)?)?$/, 'A number, as in 12.5'));

/** Values with their schema, and an attempt that says a refusal where it belongs and whether there was none. */
export function useEntry<Values extends FieldValues>(schema: z.ZodMiniType<Values, Values>, initial: Values) {
  const form = useForm<Values>({
    resolver: zodResolver(schema),
    defaultValues: initial as DefaultValues<Values>,
  });
  const attempt = async (run: () => Promise<unknown>): Promise<boolean> => {
    try {
      await run();
      return true;
    } catch (problem) {
      refuse(problem, Object.keys(initial), (name, message) =>
        form.setError(name as Path<Values>, { message }, { shouldFocus: true }),
      );
      return false;
    }
  };
  return { form, attempt };
}

interface EntryProps<Values extends FieldValues> {
  title: string;
  act: ReactNode;
  schema: z.ZodMiniType<Values, Values>;
  initial: Values;
  /** Sends the values, and shows what came of it where that is more than the end of the dialog. */
  save: (values: Values) => Promise<unknown>;
  /** Only what was changed can be saved. */
  changes?: boolean;
  /** Something else that can be done here instead. */
  other?: { act: string; run: () => Promise<unknown> } | undefined;
  /** The dialog stays when it has saved: `save` puts something else in its place. */
  stays?: boolean;
  onClose: () => void;
  children: ReactNode;
}

/** A dialog that takes some values and saves them; it closes when that is done. */
export function EntryDialog<Values extends FieldValues>(props: EntryProps<Values>) {
  const { title, act, schema, initial, save, changes, other, stays, onClose, children } = props;
  const { form, attempt } = useEntry(schema, initial);
  const { errors, isSubmitting, isDirty } = form.formState;
  const submit = form.handleSubmit(async (values) => {
    if ((await attempt(() => save(values))) && !stays) onClose();
  });
  const instead = useMutation({
    mutationFn: async () => {
      if (other && (await attempt(other.run))) onClose();
    },
  });
  return (
    <Dialog open onClose={onClose} aria-labelledby="entry-title" fullWidth maxWidth="sm">
      <FormProvider {...form}>
        <Box
          component="form"
          noValidate
          onSubmit={(event) => void submit(event)}
          sx={{ display: 'flex', flexDirection: 'column', minHeight: 0 }}
        >
          <DialogTitle id="entry-title">{title}</DialogTitle>
          <DialogContent>
            <Box sx={{ display: 'grid', gridTemplateColumns: 'repeat(6, minmax(0, 1fr))', gap: 2, pt: 1 }}>
              {children}
              {errors.root && (
                <Alert severity="error" variant="outlined" sx={{ gridColumn: '1 / -1' }}>
                  {errors.root.message}
                </Alert>
              )}
            </Box>
          </DialogContent>
          <DialogActions>
            {other && (
              <Button onClick={() => instead.mutate()} loading={instead.isPending} sx={{ mr: 'auto' }}>
                {other.act}
              </Button>
            )}
            <Button onClick={onClose}>Cancel</Button>
            <Button type="submit" variant="contained" loading={isSubmitting} disabled={changes && !isDirty}>
              {act}
            </Button>
          </DialogActions>
        </Box>
      </FormProvider>
    </Dialog>
  );
}

/** Says a refusal at the field that it names, where the form has it, else for the form as a whole. */
function refuse(problem: unknown, names: string[], say: (name: string, message: string) => void): void {
  const message = problem instanceof Error ? problem.message : 'this failed; try again';
  const field = problem instanceof Refusal ? String(problem.facts.field ?? '') : '';
  const name = names.includes(field) ? field : 'root';
  say(name, name === 'root' ? message : message.replace(`${field}: `, ''));
}

interface FieldProps {
  name: string;
  label: string;
  /** How many of the six columns; all by default. */
  columns?: number;
  hint?: string;
  optional?: boolean;
}

const wide = (columns = 6) => ({ gridColumn: { xs: '1 / -1', sm: `span ${columns}` } });

interface TextProps extends FieldProps {
  unit?: string;
  type?: string;
  /** What a keeper of passwords may put here. */
  kept?: 'username' | 'name' | 'current-password' | 'new-password' | 'one-time-code';
  disabled?: boolean;
  onTyped?: (text: string) => void;
  /** How many lines of text there is room for; one by default. */
  lines?: number;
  /** One of these, instead of any text. */
  options?: readonly (readonly [string, string])[];
}

/** A line of text, or one of a few. */
export function TextInput(props: TextProps) {
  const { name, label, columns, hint, unit, type, kept, optional, disabled, onTyped, lines, options } = props;
  const { field, fieldState } = useController({ name });
  return (
    <TextField
      {...field}
      onChange={(event) => {
        field.onChange(event);
        onTyped?.(event.target.value);
      }}
      inputRef={field.ref}
      ref={undefined}
      select={options !== undefined}
      multiline={lines !== undefined}
      minRows={lines}
      label={unit ? `${label}, ${unit}` : label}
      type={type}
      autoComplete={kept}
      disabled={disabled}
      required={!optional && options === undefined}
      error={fieldState.invalid}
      helperText={fieldState.error?.message ?? hint}
      slotProps={options && optional ? { select: { displayEmpty: true }, inputLabel: { shrink: true } } : {}}
      sx={wide(columns)}
    >
      {options?.map(([value, title]) => (
        <MenuItem key={value} value={value}>
          {title}
        </MenuItem>
      ))}
    </TextField>
  );
}

/** Yes or no. */
export function CheckInput({ name, label, columns }: FieldProps) {
  const { field, fieldState } = useController({ name });
  return (
    <FormControl error={fieldState.invalid} sx={wide(columns)}>
      <FormControlLabel
        control={
          <Checkbox
            checked={Boolean(field.value)}
            onChange={field.onChange}
            slotProps={{ input: { ref: field.ref } }}
          />
        }
        label={label}
      />
      {fieldState.error && <FormHelperText>{fieldState.error.message}</FormHelperText>}
    </FormControl>
  );
}

/** What a field of its own draws and changes: a list of pairs, conditions. */
export function OwnInput<Value>({
  name,
  children,
}: {
  name: string;
  children: (value: Value, onChange: (next: Value) => void) => ReactNode;
}) {
  const { field, fieldState } = useController({ name });
  return (
    <FormControl error={fieldState.invalid} sx={wide()}>
      {children(field.value as Value, field.onChange)}
      {fieldState.error && <FormHelperText>{fieldState.error.message}</FormHelperText>}
    </FormControl>
  );
}

/** What a dialog means, in small letters under its fields. */
export function Remark({ children }: { children: ReactNode }) {
  return <Box sx={{ fontSize: '0.84rem', color: 'text.secondary', gridColumn: '1 / -1' }}>{children}</Box>;
}
