/** The accounts that an organisation has in clouds; nothing where it has none. */
import { Box } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Section } from '../shared/Page';
import { cloudAccountsOptions } from './clouds';
import { measureName } from './organisations';

const WORDS: Record<string, string> = {
  wanted: 'is being made',
  linked: 'linked: it was there before',
};

export function CloudAccounts({ organisation }: { organisation: string }) {
  const accounts = useQuery(cloudAccountsOptions(organisation));
  if (!accounts.data?.length) return null;
  return (
    <Section title="Accounts in clouds">
      <Box
        component="ul"
        sx={{ m: 0, p: 0, listStyle: 'none', fontSize: '0.9rem', display: 'grid', gap: 0.5 }}
      >
        {accounts.data.map((each) => (
          <li key={each.id}>
            {each.cloud_name}: {each.name}
            <Box component="span" sx={{ color: 'text.secondary' }}>
              {each.external_id && ` · ${each.external_id}`}
              {WORDS[each.state] && ` · ${WORDS[each.state] ?? ''}`}
              {each.project && ` · what is used there is of ${each.project}`}
              {each.project && each.billed_from && `, from ${each.billed_from} on`}
              {each.kept.length > 0 &&
                ` · held there to its limits of ${each.kept.map((one) => measureName(one).toLowerCase()).join(', ')}`}
            </Box>
          </li>
        ))}
      </Box>
    </Section>
  );
}
