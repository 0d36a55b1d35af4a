/** What an organisation may have at single sites and of pools there, and which sites it may use at all. */
import { Box, Button } from '@mui/material';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useWatch } from 'react-hook-form';
import * as z from 'zod/mini';
import { useSignedIn } from '../access/session';
import { api, body } from '../shared/api';
import { DataTable } from '../shared/DataTable';
import { formatQuantity } from '../shared/decimal';
import { CheckInput, EntryDialog, Remark, TextInput, decimal } from '../shared/form';
import { Section } from '../shared/Page';
import { useToast } from '../shared/Toasts';
import { formatUnit } from '../shared/units';
import { measureChoices, useMeasures } from './measures';
import { type Organisation, measureName } from './organisations';
import { PermittedDialog } from './PermittedDialog';
import { type SiteQuota, permittedOptions, siteQuotasOptions, sitesOptions, whereWords } from './sites';

export function SiteQuotas({ organisation, manages }: { organisation: Organisation; manages: boolean }) {
  const { may } = useSignedIn();
  const quotas = useQuery(siteQuotasOptions(organisation.slug));
  const sites = useQuery(sitesOptions(organisation.slug));
  const permitted = useQuery(permittedOptions(organisation.slug));
  const [doing, setDoing] = useState<SiteQuota | 'new' | 'sites' | null>(null);
  const found = quotas.data ?? [];
  const usable = sites.data ?? [];
  // Who owns a site says by its pools what there is.
  const others = usable.filter((site) => !site.own);
  if (!usable.length) return null;
  const close = () => setDoing(null);
  const held = permitted.data?.sites != null;
  return (
    <Section
      title="At single sites"
      aside={
        <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}>
          {may('manage organisations') && organisation.parent !== null && (
            <Button onClick={() => setDoing('sites')}>Choose its sites</Button>
          )}
          {manages && others.length > 0 && <Button onClick={() => setDoing('new')}>Limit at a site</Button>}
        </Box>
      }
    >
      <Box sx={{ fontSize: '0.9rem', mb: 1 }}>
        It may use {usable.map((site) => site.name).join(', ')}
        {held ? ', and no other site' : ''}.
      </Box>
      {found.length > 0 && (
        <DataTable
          name="site-quotas"
          label="Limits at sites"
          rows={found}
          rowKey={(row) => `${row.site} ${row.pool} ${row.measure} ${row.project}`}
          columns={[
            { key: 'where', title: 'Where', cell: whereWords },
            ...(found.some((row) => row.project)
              ? [{ key: 'project', title: 'Project', cell: (row: SiteQuota) => row.project ?? '' }]
              : []),
            { key: 'measure', title: 'Measure', cell: (row) => measureName(row.measure) },
            { key: 'limit', title: 'Limit', number: true, cell: (row) => figure(row.limit) },
            { key: 'granted', title: 'Passed on', number: true, cell: (row) => formatQuantity(row.granted) },
            { key: 'left', title: 'Left', number: true, cell: (row) => figure(row.left) },
            { key: 'unit', title: 'Unit', cell: (row) => formatUnit(row.unit, row.limit ?? '0') },
            {
              key: 'act',
              title: '',
              cell: (row) =>
                manages &&
                !row.own && (
                  <Button
                    aria-label={`Change ${row.measure} at ${whereWords(row)}`}
                    onClick={() => setDoing(row)}
                  >
                    Change
                  </Button>
                ),
            },
          ]}
        />
      )}
      {doing === 'sites' && <PermittedDialog organisation={organisation} onClose={close} />}
      {doing !== null && doing !== 'sites' && (
        <LimitDialog
          organisation={organisation}
          sites={others.map((site) => [site.id, site.name] as const)}
          quota={doing === 'new' ? null : doing}
          onClose={close}
        />
      )}
    </Section>
  );
}

const figure = (value: string | null): string => (value === null ? 'no limit' : formatQuantity(value));

const limited = z.object({ none: z.literal(false), limit: decimal(), site: z.string(), measure: z.string() });
const without = z.object({ none: z.literal(true), limit: z.string(), site: z.string(), measure: z.string() });
const schema = z.discriminatedUnion('none', [limited, without]);

function LimitDialog(props: {
  organisation: Organisation;
  sites: (readonly [string, string])[];
  quota: SiteQuota | null;
  onClose: () => void;
}) {
  const measures = useMeasures();
  const { organisation, sites, quota, onClose } = props;
  const queries = useQueryClient();
  const say = useToast();
  const put = async (site: string, measure: string, limit: string | null) =>
    body(
      await api.PUT('/api/v1/organisations/{organisation}/site-quotas/{site}/{measure}', {
        params: { path: { organisation: organisation.slug, site, measure } },
        body: { limit, pool: quota?.pool ?? null, project: quota?.project ?? null },
      }),
    );
  const save = async (values: z.infer<typeof schema>) => {
    const set = await put(values.site, values.measure, values.none ? null : values.limit);
    await queries.invalidateQueries({ queryKey: ['sites'] });
    const now = set.limit === null ? 'no limit of its own' : `a limit of ${formatQuantity(set.limit)}`;
    say(
      `${organisation.name} has ${now} of ${measureName(values.measure).toLowerCase()} at ${whereWords(set)} now.`,
      quota ? () => put(quota.site, quota.measure, quota.limit) : undefined,
    );
  };
  return (
    <EntryDialog
      title={
        quota
          ? `${measureName(quota.measure)} at ${whereWords(quota)}`
          : `A limit of ${organisation.name} at a site`
      }
      act="Set the limit"
      schema={schema}
      initial={{
        none: false,
        limit: quota?.limit ?? '',
        site: quota?.site ?? sites[0]?.[0] ?? '',
        measure: quota?.measure ?? 'processors',
      }}
      save={save}
      onClose={onClose}
    >
      {!quota && (
        <>
          <TextInput name="site" label="Site" columns={3} options={sites} />
          <TextInput name="measure" label="Measure" columns={3} options={measureChoices(measures)} />
        </>
      )}
      <Limit unit={quota ? formatUnit(quota.unit, '0') : undefined} />
      {quota && <CheckInput name="none" label="Take it away" />}
      <Remark>It lies within what it may have of all sites.</Remark>
    </EntryDialog>
  );
}

function Limit({ unit }: { unit: string | undefined }) {
  const none = useWatch({ name: 'none' }) as boolean;
  return <TextInput name="limit" label="Limit" {...(unit ? { unit } : {})} disabled={none} optional={none} />;
}
