/** Who an organisation is: on paper, how to reach it, what its seller notes, and its state with what that means. */
import { Box, Button, Link } from '@mui/material';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import { useSignedIn } from '../../access/session';
import { DetailsDialog } from '../../organisations/DetailsDialog';
import { Meaning } from '../../organisations/Meaning';
import { NotesDialog } from '../../organisations/NotesDialog';
import { StateDialog } from '../../organisations/StateDialog';
import {
  type Details as Known,
  type States,
  detailsOptions,
  statesOptions,
} from '../../organisations/details';
import type { Organisation } from '../../organisations/organisations';
import { api } from '../../shared/api';
import { Fact, Facts } from '../../shared/Facts';
import { momentName } from '../../shared/dates';
import { Section } from '../../shared/Page';
import { Query } from '../../shared/States';
import { countryName } from '../../shared/world';
import { Moves } from '../../subscriptions/Moves';

export function Details({ organisation }: { organisation: Organisation }) {
  const states = useQuery(statesOptions(organisation.slug));
  const details = useQuery(detailsOptions(organisation.slug));
  return (
    <Box sx={{ display: 'grid', gridTemplateColumns: { xs: '1fr', md: '1fr 1fr' }, columnGap: 5, pt: 1 }}>
      <Box>
        {details.isError ? (
          <Section title="On paper">
            <Box sx={{ color: 'text.secondary', fontSize: '0.9rem' }}>
              Its address, numbers and contacts are for its own people and its direct seller.
            </Box>
          </Section>
        ) : (
          <Query query={details} rows={6}>
            {(found) => <OnPaper organisation={organisation} details={found} />}
          </Query>
        )}
      </Box>
      <Box>
        <Query query={states} rows={6}>
          {(found) => <InState states={found} />}
        </Query>
        <Moves organisation={organisation} />
      </Box>
    </Box>
  );
}

function OnPaper({ organisation, details }: { organisation: Organisation; details: Known }) {
  const { may } = useSignedIn();
  const [doing, setDoing] = useState<'details' | 'notes' | null>(null);
  const close = () => setDoing(null);
  const change = (what: 'details' | 'notes') =>
    may('manage organisations') && <Button onClick={() => setDoing(what)}>Change the {what}</Button>;
  const town = [details.postal_code, details.town].filter(Boolean).join(' ');
  const address = [...(details.street ?? '').split('\n'), town, details.region].filter(Boolean);
  return (
    <>
      <Section title="On paper" aside={change('details')}>
        <Facts>
          <Told title="Legal name">{details.legal_name}</Told>
          <Told title="Tax number">{details.tax_id}</Told>
          <Told title="Register number">{details.registration}</Told>
          <Fact title="Address">
            {[...address, countryName(details.country)].map((line) => (
              <div key={line}>{line}</div>
            ))}
          </Fact>
          <Told title="E-mail">
            {details.email && <Link href={`mailto:${details.email}`}>{details.email}</Link>}
          </Told>
          <Told title="Telephone">{details.phone}</Told>
          <Told title="Language">{details.language}</Told>
          <Told title="Documents for">
            {details.billing_contacts.length > 0 &&
              details.billing_contacts.map((each) => (
                <div key={each.email}>
                  {each.name}, <Link href={`mailto:${each.email}`}>{each.email}</Link>
                </div>
              ))}
          </Told>
          <Fact title="Paid by">{details.payer_name ?? 'itself'}</Fact>
        </Facts>
      </Section>
      {details.notes !== null && (
        <Section title="What you note" aside={change('notes')}>
          <Facts>
            <Told title="Segment" without="none">
              {organisation.segment}
            </Told>
            <Told title="Tags" without="none">
              {organisation.tags.join(', ')}
            </Told>
            <Told title="Notes" without="none">
              {details.notes && <Box sx={{ whiteSpace: 'pre-wrap' }}>{details.notes}</Box>}
            </Told>
          </Facts>
        </Section>
      )}
      {doing === 'details' && <DetailsDialog details={details} onClose={close} />}
      {doing === 'notes' && <NotesDialog organisation={organisation} details={details} onClose={close} />}
    </>
  );
}

/** What may not be known yet. */
function Told({
  title,
  without = 'not known',
  children,
}: {
  title: string;
  without?: string;
  children: ReactNode;
}) {
  return <Fact title={title}>{children || <Box sx={{ color: 'text.secondary' }}>{without}</Box>}</Fact>;
}

function InState({ states }: { states: States }) {
  const [changing, setChanging] = useState(false);
  const queries = useQueryClient();
  const withdraw = useMutation({
    mutationFn: () =>
      api.DELETE('/api/v1/organisations/{organisation}/states/planned', {
        params: { path: { organisation: states.organisation } },
      }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['organisations'] }),
  });
  const decides = states.next.length > 0;
  const planned = states.history.some((each) => each.planned);
  return (
    <Section
      title={`It is ${states.state}`}
      aside={
        decides && (
          <Box sx={{ display: 'flex', gap: 1 }}>
            {planned && (
              <Button loading={withdraw.isPending} onClick={() => withdraw.mutate()}>
                Withdraw what is planned
              </Button>
            )}
            <Button onClick={() => setChanging(true)}>Change the state</Button>
          </Box>
        )
      }
    >
      {states.state !== states.own && (
        <Box sx={{ mb: 1, fontSize: '0.9rem' }}>One that it buys from is; itself it is {states.own}.</Box>
      )}
      <Meaning of={states.meaning} />
      {states.history.length > 0 && (
        <Box
          component="ol"
          sx={{ mt: 2, mb: 0, pl: 0, listStyle: 'none', fontSize: '0.9rem', lineHeight: 1.9 }}
        >
          {[...states.history].reverse().map((each) => (
            <li key={each.starts_at}>
              <Box component="span" sx={{ color: 'text.secondary', mr: 1.5 }}>
                {momentName(each.starts_at)}
              </Box>
              {each.state}
              {each.planned && ', planned'}
              {each.reason && `: ${each.reason}`}
            </li>
          ))}
        </Box>
      )}
      {changing && <StateDialog states={states} onClose={() => setChanging(false)} />}
    </Section>
  );
}
