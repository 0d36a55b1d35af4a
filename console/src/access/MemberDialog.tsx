/** One member: role, rest, removal, and a link for a new password. */
import { Box, Button } from '@mui/material';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import * as z from 'zod/mini';
import { ServicesInput } from '../shared/ServicesInput';
import { api, body } from '../shared/api';
import { CheckInput, EntryDialog, Remark, TextInput } from '../shared/form';
import { useToast } from '../shared/Toasts';
import { OnceShown } from './OnceShown';
import { type Member, ROLE_CHOICES, type Role, linkOf } from './members';

const schema = z.object({
  role: z.string(),
  disabled: z.boolean(),
  services: z.nullable(z.array(z.string())),
});

export function MemberDialog({
  organisation,
  member,
  onClose,
}: {
  organisation: string;
  member: Member;
  onClose: () => void;
}) {
  const queries = useQueryClient();
  const path = { organisation, user_id: member.user_id };
  const say = useToast();
  const change = (role: Role, disabled: boolean) =>
    api.PATCH('/api/v1/organisations/{organisation}/members/{user_id}', {
      params: { path },
      body: { role, disabled },
    });
  const hold = (services: string[] | null) =>
    api.PUT('/api/v1/organisations/{organisation}/members/{user_id}/services', {
      params: { path },
      body: { services },
    });
  const held = member.services ?? null;
  const listed = () => queries.invalidateQueries({ queryKey: ['members'] });
  return (
    <EntryDialog
      title={member.name}
      act="Save"
      schema={schema}
      initial={{ role: member.role as string, disabled: member.disabled, services: held }}
      changes
      save={async ({ role, disabled, services }) => {
        await change(role as Role, disabled);
        const moved = JSON.stringify(services) !== JSON.stringify(held);
        if (moved) await hold(services);
        await listed();
        say(`${member.name} is ${disabled ? 'disabled' : role} now.`, async () => {
          if (moved) await hold(held);
          return change(member.role, member.disabled);
        });
      }}
      other={{
        act: 'Remove from members',
        run: async () => {
          await api.DELETE('/api/v1/organisations/{organisation}/members/{user_id}', { params: { path } });
          await listed();
        },
      }}
      onClose={onClose}
    >
      <Remark>{member.email}</Remark>
      <TextInput name="role" label="Role" options={ROLE_CHOICES} />
      <ServicesInput name="services" />
      <CheckInput name="disabled" label="Disabled: no rights here until enabled again; tokens rest too" />
      <Reset path={path} email={member.email} />
      {member.second_factor && <TakeFactor path={path} member={member} listed={listed} />}
    </EntryDialog>
  );
}

/** A link for a new password, which works at once and whatever else is saved here. */
function Reset({ path, email }: { path: { organisation: string; user_id: string }; email: string }) {
  const reset = useMutation({
    mutationFn: async () =>
      body(
        await api.POST('/api/v1/organisations/{organisation}/members/{user_id}/password-reset', {
          params: { path },
        }),
      ),
  });
  return (
    <Box sx={{ gridColumn: '1 / -1' }}>
      {reset.data ? (
        <OnceShown secret={linkOf('reset', reset.data.secret)}>
          {`Hand this link to ${email}; it works once and lasts a day.`}
        </OnceShown>
      ) : (
        <Button variant="outlined" loading={reset.isPending} onClick={() => reset.mutate()}>
          Make a link for a new password
        </Button>
      )}
      {reset.error && (
        <Box role="alert" sx={{ mt: 1, color: 'error.main', fontSize: '0.86rem' }}>
          {reset.error.message}
        </Box>
      )}
    </Box>
  );
}

/** For who lost the app and the recovery codes. */
function TakeFactor(props: {
  path: { organisation: string; user_id: string };
  member: Member;
  listed: () => Promise<void>;
}) {
  const { path, member, listed } = props;
  const [sure, setSure] = useState(false);
  const take = useMutation({
    mutationFn: async () => {
      await api.DELETE('/api/v1/organisations/{organisation}/members/{user_id}/second-factor', {
        params: { path },
      });
    },
    onSuccess: listed,
  });
  return (
    <Box sx={{ gridColumn: '1 / -1' }}>
      {take.isSuccess ? (
        <Remark>{member.name} signs in by password alone, and was told by mail.</Remark>
      ) : (
        <Button
          variant="outlined"
          loading={take.isPending}
          onClick={() => (sure ? take.mutate() : setSure(true))}
        >
          {sure ? 'Yes, the second factor is lost: take it away' : 'Take the second factor away'}
        </Button>
      )}
      {take.error && (
        <Box role="alert" sx={{ mt: 1, color: 'error.main', fontSize: '0.86rem' }}>
          {take.error.message}
        </Box>
      )}
    </Box>
  );
}
