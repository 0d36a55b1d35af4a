/** Sites with what is promised there, and limits at them: what is shown and what is asked. */
import { screen, waitFor } from '@testing-library/react';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { rememberSignedIn, sessionOptions, type Session } from '../access/session';
import { api } from '../shared/api';
import { drawn, press, type } from '../shared/drawn.testing';
import type { Organisation } from './organisations';
import { SiteQuotas } from './SiteQuotas';
import SitesPage from './SitesPage';
import {
  type Pool,
  type Site,
  type SiteQuota,
  permittedOptions,
  poolsOptions,
  siteQuotasOptions,
  sitesOptions,
} from './sites';

const MEMBER = {
  organisation: 'tarnwick',
  name: 'Tarnwick Cloud',
  type: 'provider',
  rights: ['manage organisations', 'manage quotas'],
};
const SESSION = { memberships: [MEMBER], now: '2026-10-05T12:00:00Z' } as unknown as Session;
const site = (slug: string, name: string, own = true): Site => ({
  id: `id-${slug}`,
  slug,
  name,
  place: null,
  zone: 'UTC',
  own,
  version: 1,
});
const POOL: Pool = {
  id: 'pool',
  organisation: 'tarnwick',
  site: 'id-north-fell',
  site_slug: 'north-fell',
  site_name: 'North Fell',
  slug: 'fell',
  name: 'Fell',
  measure: 'machines',
  unit: 'machine',
  capacity: '40',
  factor: '1.5',
  behind: 'Rack 7',
  set_aside_for: null,
  promised: '0',
  at_site: '64',
  left: '-4',
  version: 1,
};
const LIMIT = {
  organisation: 'oxbow',
  project: null,
  site: 'id-north-fell',
  site_slug: 'north-fell',
  site_name: 'North Fell',
  pool: null,
  pool_name: null,
  measure: 'machines',
  unit: 'machine',
  limit: '30',
  granted: '12',
  left: '18',
  label: null,
  own: false,
} as SiteQuota;
const asked: { method: string; path: string; options: unknown }[] = [];

beforeEach(() => {
  asked.length = 0;
  rememberSignedIn(true);
  for (const method of ['POST', 'PUT', 'PATCH', 'DELETE'] as const)
    vi.spyOn(api, method).mockImplementation(((path: string, options: unknown) => {
      asked.push({ method, path, options });
      return Promise.resolve({ data: LIMIT, response: new Response() });
    }) as never);
  vi.spyOn(api, 'GET').mockImplementation(((path: string) =>
    Promise.resolve({ data: path.endsWith('/session') ? SESSION : { items: [], next: null } })) as never);
});

describe('sites', () => {
  it('say in words and figures where more is promised than there is', () => {
    drawn(<SitesPage />, [
      [sessionOptions.queryKey, SESSION],
      [sitesOptions('tarnwick').queryKey, [site('north-fell', 'North Fell'), site('isle', 'Isle')]],
      [poolsOptions('tarnwick').queryKey, [POOL]],
    ]);
    expect(screen.getByText('▲ 4 machines more than there are')).toBeTruthy();
    expect(screen.getByText('40 × 1.5 machines')).toBeTruthy();
    expect(screen.getByText('Nothing bounds what is promised here: it has no pools yet.')).toBeTruthy();
  });

  it('take a limit, which can be taken back', async () => {
    drawn(
      <SiteQuotas
        organisation={{ slug: 'oxbow', name: 'Oxbow', parent: 'tarnwick' } as Organisation}
        manages
      />,
      [
        [sessionOptions.queryKey, SESSION],
        [sitesOptions('oxbow').queryKey, [site('north-fell', 'North Fell', false)]],
        [siteQuotasOptions('oxbow').queryKey, [LIMIT]],
        [permittedOptions('oxbow').queryKey, { sites: ['id-north-fell'] }],
      ],
    );
    expect(screen.getByText('It may use North Fell, and no other site.')).toBeTruthy();
    press('Change machines at North Fell');
    type(/^Limit, machines/, '24');
    press('Set the limit');
    await waitFor(() => expect(asked.map((each) => each.method)).toEqual(['PUT']));
    expect(asked[0]?.options).toMatchObject({
      params: { path: { organisation: 'oxbow', site: 'id-north-fell', measure: 'machines' } },
      body: { limit: '24', pool: null, project: null },
    });
  });
});
