/** What an organisation may have, what it passed on, and what its projects may have of it. */
import { Box, Button } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSignedIn } from '../../access/session';
import { GrantDialog } from '../../organisations/GrantDialog';
import { AskDialog, QuotaRequests } from '../../organisations/QuotaRequests';
import { QuotaHistory } from '../../organisations/QuotaHistory';
import { SiteQuotas } from '../../organisations/SiteQuotas';
import { QuotaBar } from '../../organisations/QuotaBar';
import {
  type Organisation,
  type Project,
  type Quota,
  measureName,
  organisationOptions,
  projectsOptions,
  quotasOptions,
  usesOptions,
} from '../../organisations/organisations';
import { Breaches } from '../../metering/Breaches';
import { UseOverTime } from '../../metering/UseOverTime';
import { DataTable } from '../../shared/DataTable';
import { compare, formatQuantity } from '../../shared/decimal';
import { Section } from '../../shared/Page';
import { Empty, Query } from '../../shared/States';
import { formatUnit } from '../../shared/units';

interface Granting {
  quota: Parameters<typeof GrantDialog>[0]['quota'];
  project?: Project;
}

export function Quotas({ organisation }: { organisation: Organisation }) {
  const { home, may } = useSignedIn();
  const quotas = useQuery(quotasOptions(organisation.slug));
  const projects = useQuery(projectsOptions(organisation.slug));
  const { parent } = organisation;
  const { data: giver = null } = useQuery({ ...organisationOptions(parent ?? ''), enabled: parent !== null });
  const [granting, setGranting] = useState<Granting | null>(null);
  const manages = may('manage quotas');
  const asks = manages && organisation.slug === home.organisation && organisation.type !== 'provider';
  const [asking, setAsking] = useState<Quota | null>(null);
  const grants = manages && (parent !== null || organisation.type === 'provider');
  const whole = (found: Quota[]) =>
    found.filter(
      (quota) =>
        quota.project === null && (organisation.type !== 'tenant' || quota.measure !== 'organisations'),
    );
  return (
    <>
      <Query query={quotas} rows={3}>
        {(found) => (
          <>
            <Limits
              organisation={organisation}
              quotas={whole(found)}
              onChange={grants ? (quota) => setGranting({ quota }) : undefined}
              onAsk={asks ? setAsking : undefined}
            />
            <Box sx={{ mt: 4 }}>
              <Breaches organisation={organisation} manages={manages} />
              <QuotaRequests organisation={organisation} />
            </Box>
            <Box sx={{ mt: 4 }}>
              <SiteQuotas organisation={organisation} manages={grants} />
            </Box>
            <Box sx={{ mt: 4 }}>
              <Section title="Of its projects">
                <Query query={projects} rows={2}>
                  {(all) => (
                    <OfProjects
                      projects={all}
                      quotas={found}
                      onChange={
                        manages ? (project, measure) => setGranting({ project, quota: measure }) : undefined
                      }
                    />
                  )}
                </Query>
              </Section>
            </Box>
          </>
        )}
      </Query>
      <UseOverTime organisation={organisation} />
      <QuotaHistory organisation={organisation} />
      {asking && <AskDialog organisation={organisation} quota={asking} onClose={() => setAsking(null)} />}
      {granting && (
        <GrantDialog
          {...granting}
          holder={organisation}
          giver={granting.project ? organisation : giver}
          projects={projects.data ?? []}
          onClose={() => setGranting(null)}
        />
      )}
    </>
  );
}

function Limits(props: {
  organisation: Organisation;
  quotas: Quota[];
  onChange: ((quota: Quota) => void) | undefined;
  onAsk: ((quota: Quota) => void) | undefined;
}) {
  const { organisation, quotas, onChange, onAsk } = props;
  const sells = organisation.type !== 'tenant';
  const uses = useQuery(usesOptions(organisation.slug));
  const figure = (value: string | null) => (value === null ? 'no limit' : formatQuantity(value));
  return (
    <DataTable
      name="quotas"
      label="Quotas"
      rows={quotas}
      rowKey={(quota) => quota.measure}
      columns={[
        { key: 'measure', title: 'Measure', cell: (quota) => measureName(quota.measure, quota.kind) },
        {
          key: 'bar',
          title: '',
          width: '32%',
          cell: (quota) => (
            <QuotaBar
              quota={quota}
              sells={sells}
              use={uses.data?.find((each) => each.measure === quota.measure)}
            />
          ),
        },
        {
          key: 'limit',
          title: 'Limit',
          number: true,
          cell: (quota) => (
            <>
              {figure(quota.limit)}
              {quota.soft_limit !== null && (
                <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>
                  soft {formatQuantity(quota.soft_limit)}
                </Box>
              )}
            </>
          ),
        },
        {
          key: 'granted',
          title: sells ? 'Passed on' : 'Given to projects',
          number: true,
          cell: (quota) => formatQuantity(quota.granted),
        },
        {
          key: 'reservation',
          title: 'For itself',
          number: true,
          // Reserved, or more where it has more: by its own tiers, or counted.
          cell: (quota) =>
            formatQuantity(compare(quota.own, quota.reservation) > 0 ? quota.own : quota.reservation),
        },
        { key: 'left', title: 'Left', number: true, cell: (quota) => figure(quota.left) },
        {
          key: 'used',
          title: 'In use',
          number: true,
          cell: (quota) => {
            const used = uses.data?.find((each) => each.measure === quota.measure)?.quantity;
            return used == null ? '—' : formatQuantity(used, 1);
          },
        },
        { key: 'unit', title: 'Unit', cell: (quota) => formatUnit(quota.unit, quota.limit ?? '0') },
        {
          key: 'act',
          title: '',
          cell: (quota) =>
            onAsk && quota.limit !== null ? (
              <Button aria-label={`Ask for more ${quota.measure}`} onClick={() => onAsk(quota)}>
                Ask for more
              </Button>
            ) : (
              onChange && (
                <Button
                  variant="outlined"
                  aria-label={`Change ${quota.measure}`}
                  onClick={() => onChange(quota)}
                >
                  Change
                </Button>
              )
            ),
        },
      ]}
    />
  );
}

function OfProjects(props: {
  projects: Project[];
  quotas: Quota[];
  onChange: ((project: Project, quota: Granting['quota']) => void) | undefined;
}) {
  const { projects, quotas, onChange } = props;
  // What there is of to divide, and what is divided already.
  const divided = new Set(quotas.filter((quota) => quota.project !== null).map((quota) => quota.measure));
  const measures = quotas.filter(
    ({ project, kind, limit, measure }) =>
      project === null && kind !== 'count' && (divided.has(measure) || (limit !== null && limit !== '0')),
  );
  if (!projects.length) return <Empty title="It has no projects">Usage needs a project to belong to.</Empty>;
  return (
    <DataTable
      name="projects"
      label="Quotas of projects"
      rows={projects}
      rowKey={(project) => project.slug}
      columns={[
        {
          key: 'name',
          title: 'Project',
          // Under what it is, as in the tree.
          cell: (project) => <Box sx={{ pl: (project.level - 1) * 2.5 }}>{project.name}</Box>,
        },
        ...measures.map(({ measure, unit, kind }) => ({
          key: measure,
          title: measureName(measure, kind),
          cell: (project: Project) => {
            const held = quotas.find((each) => each.project === project.slug && each.measure === measure);
            const none = {
              ...{ measure, unit, kind, limit: null, granted: '0', reservation: '0', version: 0 },
              ...{ soft_limit: null, grace_days: null },
            };
            return (
              <Box sx={{ display: 'flex', alignItems: 'center', gap: 1.5 }}>
                <Box sx={{ color: held ? undefined : 'text.secondary', minWidth: 90 }}>
                  {held
                    ? held.limit === null
                      ? 'no limit'
                      : `${formatQuantity(held.limit)} ${unit}`
                    : 'none of its own'}
                  {held && compare(held.granted, '0') > 0 && (
                    <Box sx={{ fontSize: '0.8rem', color: 'text.secondary' }}>
                      {formatQuantity(held.granted)} of it below
                    </Box>
                  )}
                </Box>
                {onChange && (
                  <Button
                    aria-label={`${held ? 'Change' : 'Set'} ${measure} of ${project.name}`}
                    onClick={() => onChange(project, held ?? none)}
                  >
                    {held ? 'Change' : 'Set'}
                  </Button>
                )}
              </Box>
            );
          },
        })),
      ]}
    />
  );
}
