/** What is entered of a site, and of a pool of capacity at one. */
import { useQueryClient } from '@tanstack/react-query';
import * as z from 'zod/mini';
import { api, body } from '../shared/api';
import { EntryDialog, Remark, TextInput, decimal, given, slug } from '../shared/form';
import { Names } from '../shared/Names';
import { PickInput } from '../shared/PickInput';
import { zones } from '../shared/world';
import { measureChoices, useMeasures } from './measures';
import { SetAsideInput } from './SetAsideInput';
import type { Pool, Site } from './sites';

const siteSchema = z.object({
  name: given('What people call it'),
  slug,
  place: z.string(),
  zone: given('The zone of its clocks'),
});

export function SiteDialog(props: { organisation: string; site: Site | null; onClose: () => void }) {
  const { organisation, site, onClose } = props;
  const queries = useQueryClient();
  const save = async ({ slug: own, place, ...rest }: z.infer<typeof siteSchema>) => {
    const told = { ...rest, place: place.trim() || null };
    if (site)
      body(
        await api.PATCH('/api/v1/sites/{site}', {
          params: { path: { site: site.id } },
          body: { version: site.version, ...told },
        }),
      );
    else
      body(
        await api.POST('/api/v1/organisations/{organisation}/sites', {
          params: { path: { organisation } },
          body: { slug: own, ...told },
        }),
      );
    await queries.invalidateQueries({ queryKey: ['sites'] });
  };
  return (
    <EntryDialog
      title={site ? `Change ${site.name}` : 'A site where you have capacity'}
      act={site ? 'Save' : 'Register it'}
      schema={siteSchema}
      initial={{
        name: site?.name ?? '',
        slug: site?.slug ?? '',
        place: site?.place ?? '',
        zone: site?.zone ?? 'UTC',
      }}
      save={save}
      onClose={onClose}
    >
      {site ? <TextInput name="name" label="Name" /> : <Names hint="In files" columns={3} />}
      <TextInput name="place" label="Place" columns={3} optional hint="For people" />
      <PickInput name="zone" label="Time zone" columns={3} options={zones()} />
      <Remark>Who buys from you may use it, unless you hold them to others.</Remark>
    </EntryDialog>
  );
}

const poolSchema = z.object({
  name: given('What people call it'),
  slug,
  site: z.string(),
  measure: z.string(),
  capacity: decimal(),
  factor: decimal('A number from 1 on, as in 1.5'),
  behind: z.string(),
  set_aside_for: z.string(),
});

export function PoolDialog(props: {
  organisation: string;
  sites: readonly Site[];
  site: Site;
  pool: Pool | null;
  onClose: () => void;
}) {
  const measures = useMeasures();
  const { organisation, sites, site, pool, onClose } = props;
  const queries = useQueryClient();
  const save = async (values: z.infer<typeof poolSchema>) => {
    const { name, capacity, factor } = values;
    const told = {
      name,
      capacity,
      factor,
      behind: values.behind.trim() || null,
      set_aside_for: values.set_aside_for || null,
    };
    if (pool)
      body(
        await api.PATCH('/api/v1/pools/{pool}', {
          params: { path: { pool: pool.id } },
          body: { version: pool.version, ...told },
        }),
      );
    else
      body(
        await api.POST('/api/v1/organisations/{organisation}/pools', {
          params: { path: { organisation } },
          body: { slug: values.slug, site: values.site, measure: values.measure, ...told },
        }),
      );
    await queries.invalidateQueries({ queryKey: ['sites'] });
  };
  return (
    <EntryDialog
      title={pool ? `Change ${pool.name}` : `What there is at ${site.name}`}
      act={pool ? 'Save' : 'Add the pool'}
      schema={poolSchema}
      initial={{
        name: pool?.name ?? '',
        slug: pool?.slug ?? '',
        site: site.id,
        measure: pool?.measure ?? 'processors',
        capacity: pool?.capacity ?? '',
        factor: pool?.factor ?? '1',
        behind: pool?.behind ?? '',
        set_aside_for: pool?.set_aside_for ?? '',
      }}
      save={save}
      onClose={onClose}
    >
      {pool ? (
        <TextInput name="name" label="Name" />
      ) : (
        <>
          <Names hint="In files" columns={3} />
          <TextInput
            name="site"
            label="Site"
            columns={3}
            options={sites.filter((each) => each.own).map((each) => [each.id, each.name] as const)}
          />
          <TextInput name="measure" label="Measure" columns={3} options={measureChoices(measures)} />
        </>
      )}
      <TextInput name="capacity" label="Capacity" columns={3} hint="In the measure’s unit" />
      <TextInput name="factor" label="Handed out" columns={3} unit="times over" />
      <TextInput name="behind" label="What is behind it" optional hint="Told to nobody but your own people" />
      <SetAsideInput owner={organisation} />
      <Remark>
        From then on no more is promised at the site than its pools have. With less than is promised, nothing
        more is, until it fits again.
      </Remark>
    </EntryDialog>
  );
}
