/** The first page of an empty installation: who the provider is, and who administers it. */
import { useQueryClient } from '@tanstack/react-query';
import { useNavigate } from 'react-router';
import * as z from 'zod/mini';
import { api, body, setCsrf } from '../shared/api';
import { TextInput, address, given, newPassword, slug } from '../shared/form';
import { Names } from '../shared/Names';
import { PickInput } from '../shared/PickInput';
import { countries, currencies, zones } from '../shared/world';
import { OutsideForm } from './OutsideForm';
import { rememberSignedIn, sessionOptions, setUpOptions } from './session';

const schema = z.object({
  code: given('The service printed it when it started'),
  name: given('The name that people read'),
  slug,
  country: given('The country where it is taxed'),
  currency: given('The currency in which it counts'),
  billing_zone: given('Where its months begin and end'),
  user_name: given('Your name'),
  email: address,
  password: newPassword,
});

export default function SetUpPage() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const save = async (values: z.infer<typeof schema>) => {
    await api.POST('/api/v1/set-up', { body: values });
    const { email, password } = values;
    const session = body(await api.POST('/api/v1/session', { body: { email, password } }));
    rememberSignedIn(true);
    setCsrf(session.csrf);
    queries.setQueryData(setUpOptions.queryKey, { open: false });
    queries.setQueryData(sessionOptions.queryKey, session);
    await navigate('/', { replace: true });
  };
  return (
    <OutsideForm
      title="Set up"
      wide
      lead="This service has no provider yet. It printed a code when it started; whoever has it begins here."
      act="Set it up"
      schema={schema}
      initial={{
        code: '',
        name: '',
        slug: '',
        country: '',
        currency: 'EUR',
        billing_zone: Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC',
        user_name: '',
        email: '',
        password: '',
      }}
      save={save}
    >
      <TextInput name="code" label="Set-up code" />
      <Names label="The provider's name" columns={3} hint="In files and the command line; it stays" />
      <PickInput name="country" label="Country" columns={3} options={countries()} />
      <PickInput name="currency" label="Currency" columns={3} options={currencies()} />
      <PickInput name="billing_zone" label="Billing zone" options={zones()} />
      <TextInput name="user_name" label="Your name" columns={3} />
      <TextInput name="email" label="Your e-mail address" columns={3} type="email" />
      <TextInput
        name="password"
        label="Password"
        type="password"
        kept="new-password"
        hint="At least 12 characters"
      />
    </OutsideForm>
  );
}
