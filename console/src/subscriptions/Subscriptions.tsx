/** An organisation's subscriptions in the detail beside the tree: what it has, from when, under which terms. */
import { Box, Button, Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { useSignedIn } from '../access/session';
import { useNames, usePlanNames } from '../catalogue/names';
import { levelName, quantityWords } from '../catalogue/tierWords';
import { addDays, momentName } from '../shared/dates';
import { Section } from '../shared/Page';
import { Query } from '../shared/States';
import { type Organisation, projectsOptions } from '../organisations/organisations';
import { ChangeDialog, SpecialTermsDialog, EndDialog } from './ChangeDialog';
import { OrderChangeDialog, OrderEndDialog } from './OrderChangeDialog';
import { OrderPolicies } from './OrderPolicies';
import { Orders } from './Orders';
import { OneOffChargeDialog } from './OneOffChargeDialog';
import { RuleDialog } from './RuleDialog';
import {
  type AssignmentRule,
  assignmentRulesOptions,
  conditionWords,
  type Subscription,
  subscriptionsOptions,
} from './subscriptions';

type Doing =
  | 'charge'
  | { rule: AssignmentRule | null }
  | { what: 'change' | 'end' | 'special terms'; subscription: Subscription };

export function Subscriptions({ organisation }: { organisation: Organisation }) {
  const { home, may, session } = useSignedIn();
  const subscriptions = useQuery(subscriptionsOptions(organisation.slug));
  const plans = usePlanNames();
  const [doing, setDoing] = useState<Doing | null>(null);
  const today = session.now.slice(0, 10);
  const own = organisation.slug === home.organisation;
  // What one buys oneself is ordered of the seller; the provider has none.
  const orders = own && organisation.type !== 'provider' && may('order');
  const directly = organisation.parent === home.organisation || (own && organisation.type === 'provider');
  const sells = home.type !== 'tenant' && may('manage subscriptions') && directly;
  const found = subscriptions.data ?? [];
  const close = () => setDoing(null);
  const Change = orders ? OrderChangeDialog : ChangeDialog;
  const End = orders ? OrderEndDialog : EndDialog;
  return (
    <Section
      title="Subscriptions"
      aside={
        (sells || orders) && (
          <>
            {sells && may('bill') && found.length > 0 && !own && (
              <Button onClick={() => setDoing('charge')}>Charge by hand</Button>
            )}
            <Button variant="outlined" component={Link} to={`/estimate?for=${organisation.slug}`}>
              {orders ? 'Compare tiers and order' : 'Compare tiers and subscribe'}
            </Button>
          </>
        )
      }
    >
      <Query query={subscriptions} rows={2}>
        {(items) =>
          items.length ? (
            <Box sx={{ display: 'grid', gap: 2 }}>
              {items.map((each) => (
                <One
                  key={each.id}
                  subscription={each}
                  mayAgree={sells}
                  onDo={
                    (sells || orders) && plans.within(home.services, each.plan ?? '')
                      ? (what) => setDoing({ what, subscription: each })
                      : undefined
                  }
                />
              ))}
            </Box>
          ) : (
            <Typography variant="body2" sx={{ color: 'text.secondary' }}>
              {orders
                ? 'None yet: compare what is offered to you, and order.'
                : 'None yet; its seller subscribes it to a plan.'}
            </Typography>
          )
        }
      </Query>
      <Rules
        organisation={organisation.slug}
        onOpen={sells && found.length ? (rule) => setDoing({ rule }) : undefined}
      />
      <Box sx={{ mt: 3 }}>
        <Orders organisation={organisation} />
      </Box>
      {own && may('read money') && <OrderPolicies organisation={organisation} />}
      {doing === 'charge' && (
        <OneOffChargeDialog organisation={organisation} subscriptions={found} today={today} onClose={close} />
      )}
      {doing !== null && typeof doing === 'object' && 'rule' in doing && (
        <RuleDialog
          organisation={organisation.slug}
          subscriptions={found}
          rule={doing.rule}
          today={today}
          onClose={close}
        />
      )}
      {doing !== null && typeof doing === 'object' && 'what' in doing && (
        <>
          {doing.what === 'change' && (
            <Change subscription={doing.subscription} today={today} onClose={close} />
          )}
          {doing.what === 'end' && <End subscription={doing.subscription} today={today} onClose={close} />}
          {doing.what === 'special terms' && (
            <SpecialTermsDialog subscription={doing.subscription} today={today} onClose={close} />
          )}
        </>
      )}
    </Section>
  );
}

function One({
  subscription,
  mayAgree,
  onDo,
}: {
  subscription: Subscription;
  /** Special terms are its seller's to give. */
  mayAgree: boolean;
  onDo: ((what: 'change' | 'end' | 'special terms') => void) | undefined;
}) {
  const names = useNames();
  const plans = usePlanNames();
  const projects = useQuery(projectsOptions(subscription.organisation));
  const projectName = (slug: string) => projects.data?.find((each) => each.slug === slug)?.name ?? slug;
  const chosen = Object.entries(subscription.stretches[subscription.stretches.length - 1]?.choices ?? {});
  const { allowances, levels } = (subscription.stretches[subscription.stretches.length - 1]?.special_terms ??
    {}) as Record<string, Record<string, string>>;
  const own = [
    ...Object.entries(allowances ?? {}).map(
      ([meter, value]) => `${names.meter(meter)}, ${quantityWords(value)} included`,
    ),
    ...Object.entries(levels ?? {}).map(
      ([level, value]) => `${levelName(level).toLowerCase()} ${quantityWords(value)}`,
    ),
  ];
  return (
    <Box role="group" aria-label={subscription.name} sx={{ fontSize: '0.84rem' }}>
      <Box sx={{ display: 'flex', alignItems: 'baseline', gap: 0.5 }}>
        <Box sx={{ flex: 1, fontWeight: 560 }}>
          {subscription.name}
          {subscription.project && `, for ${projectName(subscription.project)}`}
        </Box>
        {onDo && (
          <>
            <Button onClick={() => onDo('change')} aria-label={`Change ${subscription.name}`}>
              Change
            </Button>
            {mayAgree && (
              <Button
                onClick={() => onDo('special terms')}
                aria-label={`Special terms of ${subscription.name}`}
              >
                Special terms
              </Button>
            )}
            <Button onClick={() => onDo('end')} aria-label={`End ${subscription.name}`}>
              End
            </Button>
          </>
        )}
      </Box>
      <Box sx={{ color: 'text.secondary' }}>
        {subscription.stretches.map((stretch) => (
          <Box key={stretch.starts_on}>
            {stretch.paused
              ? 'paused'
              : subscription.plan
                ? `${plans.plan(subscription.plan)} ${plans.tier(subscription.plan, stretch.tier ?? '')}`
                : "a plan of its seller's own"}
            {stretch.quantity > 1 && ` × ${stretch.quantity}`}
            {stretch.trial && ', on trial'}
            {Object.keys(stretch.special_terms).length > 0 && ', with special terms'}, from{' '}
            {stretch.starts_on}
            {stretch.plan_version > 1 && `, version ${stretch.plan_version} of the plan`}
          </Box>
        ))}
        {chosen.length > 0 && (
          <Box>{chosen.map(([key, value]) => `${names.choice(key)}: ${value}`).join(', ')}</Box>
        )}
        {own.length > 0 && <Box sx={{ color: 'warning.main' }}>special terms: {own.join('; ')}</Box>}
        {subscription.accepted.map((each) => (
          <Box key={each.plan_version}>
            terms {each.terms} accepted by {each.accepted_by}, {momentName(each.accepted_at)} UTC
          </Box>
        ))}
        {subscription.ends_on ? (
          <Box>last day {addDays(subscription.ends_on, -1)}</Box>
        ) : (
          subscription.notice_by && (
            <Box>
              renews on {subscription.earliest_end} unless ended by {subscription.notice_by}
            </Box>
          )
        )}
      </Box>
    </Box>
  );
}

function Rules({
  organisation,
  onOpen,
}: {
  organisation: string;
  onOpen: ((rule: AssignmentRule | null) => void) | undefined;
}) {
  const rules = useQuery(assignmentRulesOptions(organisation));
  if (!rules.data?.length && !onOpen) return null;
  return (
    <Box sx={{ mt: 2, fontSize: '0.84rem', color: 'text.secondary' }}>
      {rules.data?.map((rule) => (
        <Box key={rule.slug} sx={{ display: 'flex', alignItems: 'baseline' }}>
          <Box sx={{ flex: 1 }}>
            {conditionWords(rule.conditions)} belongs to {rule.subscription} from {rule.starts_on}
            {rule.ends_on && `, last day ${addDays(rule.ends_on, -1)}`}
          </Box>
          {onOpen && (
            <Button onClick={() => onOpen(rule)} aria-label={`Change rule ${rule.slug}`}>
              Change
            </Button>
          )}
        </Box>
      ))}
      {onOpen && <Button onClick={() => onOpen(null)}>Choose which usage belongs where</Button>}
    </Box>
  );
}
