/** What is known of a resource whatever the month: who made it, how long it is quiet, its tags and attributes. */
import { Box } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { dayName } from '../shared/dates';
import { Fact, Facts } from '../shared/Facts';
import { Section } from '../shared/Page';
import { counted } from '../shared/units';
import { resourceFactsOptions } from './metering';

export function ResourceFacts({ organisation, name }: { organisation: string; name: string }) {
  const { data } = useQuery(resourceFactsOptions(organisation, name));
  if (!data || (!data.last_used && !data.facts.length)) return null;
  const tags = data.facts.filter((each) => each.name.startsWith('tag:'));
  const others = data.facts.filter((each) => !each.name.startsWith('tag:'));
  const said = (rows: typeof tags) =>
    rows.map((each) => (
      <Box
        key={`${each.name} ${each.value} ${each.feed}`}
        component="span"
        title={each.feed ? `told by feed ${each.feed}` : 'what its usage is priced by'}
        sx={{ display: 'inline-block', mr: 2 }}
      >
        <Box component="span" sx={{ color: 'text.secondary' }}>
          {each.name.replace('tag:', '')}
        </Box>{' '}
        {each.value || '(empty)'}
      </Box>
    ));
  return (
    <Section title="What it is">
      <Facts>
        {data.made_by && <Fact title="Made by">{data.made_by}</Fact>}
        <Fact title="Used">
          {data.first_used && data.last_used
            ? `${dayName(data.first_used)} to ${dayName(data.last_used)}`
            : 'not in the last 400 days'}
          {!!data.quiet_days && data.quiet_days > 1 && (
            <Box component="strong">, quiet for {counted(data.quiet_days, 'day')}</Box>
          )}
        </Fact>
        {tags.length > 0 && <Fact title="Tags">{said(tags)}</Fact>}
        {others.length > 0 && <Fact title="Attributes">{said(others)}</Fact>}
      </Facts>
    </Section>
  );
}
