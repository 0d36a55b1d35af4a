/** Set a limit, with the giver's figures beside it and the refusal where it belongs. */
import { Box, Checkbox, FormControlLabel, TextField } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, body } from '../shared/api';
import { formatQuantity, sum } from '../shared/decimal';
import { FormDialog } from '../shared/FormDialog';
import { type Organisation, type Quota, quotasOptions } from './organisations';

interface Props {
  quota: Quota;
  holder: Organisation;
  giver: Organisation | null;
  onClose: () => void;
}

export function GrantDialog({ quota, holder, giver, onClose }: Props) {
  const queries = useQueryClient();
  const [limit, setLimit] = useState(quota.limit ?? '');
  const [unlimited, setUnlimited] = useState(quota.limit === null);
  const given = useQuery({ ...quotasOptions(giver?.slug ?? ''), enabled: giver !== null });
  const held = given.data?.find((each) => each.measure === quota.measure && each.project === null);
  const grant = useMutation({
    mutationFn: async () =>
      body(
        await api.PUT('/api/v1/organisations/{organisation}/quotas/{measure}', {
          params: { path: { organisation: holder.slug, measure: quota.measure } },
          body: { limit: unlimited ? null : limit.trim(), version: quota.version },
        }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ['quotas'] });
      onClose();
    },
  });
  const taken = sum([quota.granted, quota.reservation]);
  return (
    <FormDialog
      title={`${quota.measure === 'processors' ? 'Processors' : 'Storage'} of ${holder.name}`}
      act="Set the limit"
      change={grant}
      onClose={onClose}
    >
      <Box sx={{ fontSize: '0.86rem', color: 'text.secondary' }}>
        {giver && held && (
          <Box>
            {giver.name} has{' '}
            {held.left === null ? 'no limit' : `${formatQuantity(held.left)} ${quota.unit} left to give`}
            {held.limit !== null && ` of ${formatQuantity(held.limit)}`}
            {held.left !== null &&
              `, so ${holder.name} can have up to ${formatQuantity(sum([held.left, quota.limit ?? '0']))}`}
            .
          </Box>
        )}
        <Box>
          {holder.name} has passed on to customers or reserved {formatQuantity(taken)} {quota.unit}.
        </Box>
      </Box>
      <TextField
        label={`Limit, ${quota.unit}`}
        value={unlimited ? '' : limit}
        disabled={unlimited}
        required={!unlimited}
        onChange={(event) => setLimit(event.target.value)}
        slotProps={{ htmlInput: { inputMode: 'decimal', pattern: '[0-9]+(\\.[0-9]+)?' } }}
      />
      <FormControlLabel
        control={<Checkbox checked={unlimited} onChange={(event) => setUnlimited(event.target.checked)} />}
        label="No limit"
      />
    </FormDialog>
  );
}
