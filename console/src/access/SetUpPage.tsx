/** The first page of an empty installation: who the provider is, and who administers it. */
import { Alert, Box, Button } from '@mui/material';
import { zodResolver } from '@hookform/resolvers/zod';
import { useQueryClient } from '@tanstack/react-query';
import { FormProvider, type Path, useForm, useFormContext } from 'react-hook-form';
import { useNavigate } from 'react-router';
import * as z from 'zod/mini';
import { api, body, setCsrf } from '../shared/api';
import { TextInput, given, refuse, slug } from '../shared/form';
import { slugOf } from '../shared/slugs';
import { PickInput } from '../shared/PickInput';
import { countries, currencies, zones } from '../shared/world';
import { Outside } from './Outside';
import { rememberSignedIn, sessionOptions, setUpOptions } from './session';

const schema = z.object({
  code: given('The service printed it when it started'),
  name: given('The name that people read'),
  slug,
  country: given('The country where it is taxed'),
  currency: given('The currency in which it counts'),
  billing_zone: given('Where its months begin and end'),
  user_name: given('Your name'),
  email: z.string().check(z.trim(), z.regex(/^\S+@\S+$/, 'An address, as in you@example.org')),
  password: z.string().check(z.minLength(12, 'At least 12 characters')),
});
type Values = z.infer<typeof schema>;

export default function SetUpPage() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const form = useForm<Values>({
    resolver: zodResolver(schema),
    defaultValues: {
      code: '',
      name: '',
      slug: '',
      country: '',
      currency: 'EUR',
      billing_zone: Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC',
      user_name: '',
      email: '',
      password: '',
    },
  });
  const submit = form.handleSubmit(async (values) => {
    try {
      await api.POST('/api/v1/set-up', { body: values });
      const { email, password } = values;
      const session = body(await api.POST('/api/v1/session', { body: { email, password } }));
      rememberSignedIn(true);
      setCsrf(session.csrf);
      queries.setQueryData(setUpOptions.queryKey, { open: false });
      queries.setQueryData(sessionOptions.queryKey, session);
      await navigate('/', { replace: true });
    } catch (problem) {
      refuse(problem, Object.keys(values), (name, message) =>
        form.setError(name as Path<Values>, { message }, { shouldFocus: true }),
      );
    }
  });
  const { errors, isSubmitting } = form.formState;
  return (
    <Outside title="Set up" wide onSubmit={() => void submit()}>
      <FormProvider {...form}>
        <Box sx={{ fontSize: '0.88rem', color: 'text.secondary' }}>
          This service has no provider yet. It printed a code when it started; whoever has it begins here.
        </Box>
        <Box sx={{ display: 'grid', gridTemplateColumns: 'repeat(6, minmax(0, 1fr))', gap: 2 }}>
          <TextInput name="code" label="Set-up code" />
          <Provider />
          <PickInput name="country" label="Country" columns={3} options={countries()} />
          <PickInput name="currency" label="Currency" columns={3} options={currencies()} />
          <PickInput name="billing_zone" label="Billing zone" options={zones()} />
          <TextInput name="user_name" label="Your name" columns={3} />
          <TextInput name="email" label="Your e-mail address" columns={3} type="email" />
          <TextInput name="password" label="Password" type="password" hint="At least 12 characters" />
          {errors.root && (
            <Alert severity="error" variant="outlined" sx={{ gridColumn: '1 / -1' }}>
              {errors.root.message}
            </Alert>
          )}
        </Box>
        <Button type="submit" variant="contained" size="medium" loading={isSubmitting}>
          Set it up
        </Button>
      </FormProvider>
    </Outside>
  );
}

function Provider() {
  const { setValue } = useFormContext<Values>();
  return (
    <>
      <TextInput
        name="name"
        label="The provider's name"
        columns={3}
        onTyped={(text) => setValue('slug', slugOf(text))}
      />
      <TextInput name="slug" label="Slug" columns={3} hint="In files and the command line; it stays" />
    </>
  );
}
