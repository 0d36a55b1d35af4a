/** Of whom an organisation demands a second factor. */
import { Alert, Box, MenuItem, TextField } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useToast } from '../shared/Toasts';
import { type Demand, policyOptions, setPolicy } from './secondFactor';

const WORDS: Record<Demand, string> = {
  nobody: 'nobody',
  members: 'its members',
  'all below': 'its members and all below',
};

export function Demanded({ organisation, sells }: { organisation: string; sells: boolean }) {
  const queries = useQueryClient();
  const say = useToast();
  const options = policyOptions(organisation);
  const policy = useQuery(options);
  const set = useMutation({
    mutationFn: (demand: Demand) => setPolicy(organisation, demand),
    onSuccess: (now) => {
      const before = policy.data?.second_factor ?? 'nobody';
      queries.setQueryData(options.queryKey, now);
      say(`A second factor is demanded of ${WORDS[now.second_factor]}.`, async () => {
        queries.setQueryData(options.queryKey, await setPolicy(organisation, before));
      });
    },
  });
  if (!policy.data) return null;
  const { second_factor, without, demanded_above } = policy.data;
  const choices = (['nobody', 'members', 'all below'] as const).filter(
    (each) => sells || each !== 'all below' || each === second_factor,
  );
  return (
    <Box sx={{ my: 3, display: 'grid', gap: 1.5, maxWidth: 560 }}>
      <TextField
        select
        label="A second factor is demanded of"
        value={second_factor}
        onChange={(event) => set.mutate(event.target.value as Demand)}
        disabled={set.isPending}
        helperText={`${without === 1 ? '1 member has' : `${without} members have`} none: no rights here until it is set up. Tokens of programs go on.${demanded_above ? ' Your seller demands it of all below anyway.' : ''}`}
      >
        {choices.map((each) => (
          <MenuItem key={each} value={each}>
            {WORDS[each]}
          </MenuItem>
        ))}
      </TextField>
      {set.isError && (
        <Alert severity="error" variant="outlined">
          {set.error.message}
        </Alert>
      )}
    </Box>
  );
}
