/** A page for people who may not be signed in that takes some values. */
import { Alert, Box, Button } from '@mui/material';
import type { ReactNode } from 'react';
import { type FieldValues, FormProvider } from 'react-hook-form';
import type * as z from 'zod/mini';
import { useEntry } from '../shared/form';
import { Outside } from './Outside';

export function OutsideForm<Values extends FieldValues>(props: {
  title: string;
  wide?: boolean;
  lead?: ReactNode;
  act: string;
  schema: z.ZodMiniType<Values, Values>;
  initial: Values;
  save: (values: Values) => Promise<unknown>;
  /** Whether it can be sent at all. */
  ready?: boolean;
  children?: ReactNode;
}) {
  const { title, wide, lead, act, schema, initial, save, ready = true, children } = props;
  const { form, attempt } = useEntry(schema, initial);
  const submit = form.handleSubmit((values) => attempt(() => save(values)));
  const { errors, isSubmitting } = form.formState;
  return (
    <Outside title={title} {...(wide ? { wide } : {})} onSubmit={() => void submit()}>
      <FormProvider {...form}>
        {lead && <Box sx={{ fontSize: '0.88rem', color: 'text.secondary' }}>{lead}</Box>}
        <Box sx={{ display: 'grid', gridTemplateColumns: 'repeat(6, minmax(0, 1fr))', gap: 2 }}>
          {children}
          {errors.root && (
            <Alert severity="error" variant="outlined" sx={{ gridColumn: '1 / -1' }}>
              {errors.root.message}
            </Alert>
          )}
        </Box>
        <Button type="submit" variant="contained" size="medium" loading={isSubmitting} disabled={!ready}>
          {act}
        </Button>
      </FormProvider>
    </Outside>
  );
}
