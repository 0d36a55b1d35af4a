/** Sites, pools of capacity at them, and limits there. */
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type Site = Schemas['SiteBody'];
export type Pool = Schemas['PoolBody'];
export type SiteQuota = Schemas['SiteQuotaBody'];

const path = (organisation: string) => ({ params: { path: { organisation } } });

/** Those that an organisation may use. */
export const sitesOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['sites', organisation],
    queryFn: async () =>
      body(await api.GET('/api/v1/organisations/{organisation}/sites', path(organisation))).items,
  });

export const poolsOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['sites', organisation, 'pools'],
    queryFn: async () =>
      body(await api.GET('/api/v1/organisations/{organisation}/pools', path(organisation))).items,
  });

export const siteQuotasOptions = (organisation: string) =>
  queryOptions({
    queryKey: ['sites', organisation, 'quotas'],
    queryFn: async () =>
      body(await api.GET('/api/v1/organisations/{organisation}/site-quotas', path(organisation))).items,
  });

/** The ids of those that an organisation is held to; null is all that its seller may use. */
export const permittedOptions = (organisation: string, project?: string) =>
  queryOptions({
    queryKey: ['sites', organisation, 'permitted', project ?? null],
    queryFn: async () =>
      body(
        project
          ? await api.GET('/api/v1/organisations/{organisation}/projects/{project}/permitted-sites', {
              params: { path: { organisation, project } },
            })
          : await api.GET('/api/v1/organisations/{organisation}/permitted-sites', {
              params: { path: { organisation } },
            }),
      ),
  });

/** Where a limit is: a site, or a pool there. */
export const whereWords = (quota: Pick<SiteQuota, 'site_name' | 'pool_name'>): string =>
  quota.pool_name === null ? quota.site_name : `${quota.site_name}: ${quota.pool_name}`;
