/** One organisation: quotas with the grant dialog, subscriptions, projects, members. */
import { Box, Button, Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import { MONO } from '../shared/theme';
import { useSignedIn } from '../access/session';
import { Section } from '../shared/Page';
import { Query } from '../shared/States';
// The page of an organisation shows what it subscribes to.
// eslint-disable-next-line no-restricted-imports
import { Subscriptions } from '../subscriptions/Subscriptions';
import { GrantDialog } from './GrantDialog';
import { QuotaBar } from './QuotaBar';
import { InviteDialog } from '../access/InviteDialog';
import { membersOptions } from '../access/members';
import {
  type Organisation,
  type Quota,
  organisationOptions,
  projectsOptions,
  quotasOptions,
} from './organisations';

interface Props {
  organisation: Organisation;
  onClose: () => void;
}

export function OrganisationDetail({ organisation, onClose }: Props) {
  const { may, mayAt } = useSignedIn();
  const own = mayAt('read', organisation.slug);
  const quotas = useQuery(quotasOptions(organisation.slug));
  const projects = useQuery(projectsOptions(organisation.slug));
  const members = useQuery({ ...membersOptions(organisation.slug), enabled: own });
  const [inviting, setInviting] = useState(false);
  const [granting, setGranting] = useState<Quota | null>(null);
  const { parent } = organisation;
  const { data: giver } = useQuery({ ...organisationOptions(parent ?? ''), enabled: parent !== null });
  const mayGrant = may('manage quotas') && (parent !== null || organisation.type === 'provider');
  return (
    <Box component="aside" aria-label={organisation.name} sx={{ minWidth: 0 }}>
      <Box sx={{ display: 'flex', alignItems: 'baseline', mb: 1.5 }}>
        <Box sx={{ flex: 1 }}>
          <Typography variant="h1" component="h2">
            {organisation.name}
          </Typography>
          <Box sx={{ fontFamily: MONO, fontSize: '0.78rem', color: 'text.secondary' }}>
            {organisation.slug}
          </Box>
        </Box>
        <Button onClick={onClose}>Close</Button>
      </Box>
      <Section title="Quotas">
        <Query query={quotas} rows={2}>
          {(found) => (
            <Box sx={{ display: 'grid', gap: 1.5 }}>
              {found.map((quota) => (
                <Box
                  key={`${quota.measure} ${quota.project}`}
                  sx={{ display: 'flex', gap: 2, alignItems: 'center' }}
                >
                  <Box sx={{ width: 90, fontSize: '0.84rem', textTransform: 'capitalize' }}>
                    {quota.project ?? quota.measure}
                  </Box>
                  <Box sx={{ flex: 1 }}>
                    <QuotaBar quota={quota} sells={organisation.type !== 'tenant'} />
                  </Box>
                  {mayGrant && quota.project === null && (
                    <Button
                      variant="outlined"
                      onClick={() => setGranting(quota)}
                      aria-label={`Change ${quota.measure}`}
                    >
                      Change
                    </Button>
                  )}
                </Box>
              ))}
            </Box>
          )}
        </Query>
      </Section>
      <Subscriptions organisation={organisation} />
      <Section title="Projects">
        <Query query={projects} rows={2}>
          {(found) => (
            <Facts
              empty="None yet; usage needs a project to belong to."
              rows={found.map((each) => [
                each.name,
                each.cost_centre ? `cost centre ${each.cost_centre}` : each.slug,
              ])}
            />
          )}
        </Query>
      </Section>
      {!own && (
        <Section title="Members">
          <Typography variant="body2" sx={{ color: 'text.secondary', mb: 1 }}>
            Its people are its own and invite each other; the first one is invited from above.
          </Typography>
          {may('manage organisations') && (
            <Button variant="outlined" onClick={() => setInviting(true)}>
              Invite its first administrator
            </Button>
          )}
        </Section>
      )}
      {own && (
        <Section title="Members">
          <Query query={members} rows={2}>
            {(found) => (
              <Facts
                empty="Nobody can sign in for it yet."
                rows={found.map((each) => [each.name, `${each.role}, ${each.email}`])}
              />
            )}
          </Query>
        </Section>
      )}
      {inviting && (
        <InviteDialog
          organisation={organisation.slug}
          name={organisation.name}
          first
          onClose={() => setInviting(false)}
        />
      )}
      {granting && (parent === null || giver) && (
        <GrantDialog
          quota={granting}
          holder={organisation}
          giver={giver ?? null}
          onClose={() => setGranting(null)}
        />
      )}
    </Box>
  );
}

function Facts({ rows, empty }: { rows: [string, ReactNode][]; empty: string }) {
  if (!rows.length)
    return (
      <Typography variant="body2" sx={{ color: 'text.secondary' }}>
        {empty}
      </Typography>
    );
  return (
    <Box
      component="dl"
      sx={{ m: 0, display: 'grid', gridTemplateColumns: '40% 1fr', rowGap: 0.75, fontSize: '0.84rem' }}
    >
      {rows.map(([name, value]) => (
        <Box key={name} sx={{ display: 'contents' }}>
          <Box component="dt">{name}</Box>
          <Box component="dd" sx={{ m: 0, color: 'text.secondary', overflowWrap: 'anywhere' }}>
            {value}
          </Box>
        </Box>
      ))}
    </Box>
  );
}
