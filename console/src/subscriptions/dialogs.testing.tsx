/** What dialogs are drawn in by their tests: a service that notes what it is asked, and what is known already. */
import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import type { ReactElement } from 'react';
import { afterEach, beforeEach, expect, vi } from 'vitest';
import { rememberSignedIn, sessionOptions, type Session } from '../access/session';
import {
  type PlanForm,
  type Tier,
  plansOptions,
  rateCardsOptions,
  servicesOptions,
} from '../catalogue/catalogue';
import { type Organisation, projectsOptions, quotasOptions } from '../organisations/organisations';
import { Refusal, api } from '../shared/api';
import { drawn, press, type } from '../shared/drawn.testing';
import { OrderDialog } from './OrderDialog';
import type { Subscription } from './subscriptions';

export { press, type };
export const TODAY = '2026-11-18';
export const GANNET = { slug: 'gannet', name: 'Gannet Freight', currency: 'EUR' } as Organisation;
export const PLAN = {
  plan: 'stone-barn',
  name: 'Stone Barn',
  services: ['backup'],
  trial: { days: '30', then: 'ends' },
  terms: { version: '2026-11', text: 'Be kind.' },
  tiers: [
    { tier: 'heath', name: 'Heath' },
    { tier: 'moor', name: 'Moor' },
  ],
} as unknown as PlanForm;
const BACKUP = {
  service: 'backup',
  name: 'Backup',
  meters: { protected: { name: 'Protected data', unit: 'GiB-hour' } },
  choices: { place: { name: 'Where copies are', values: ['near', 'far'] } },
};
export const HELD = {
  id: 'b0000000-0000-4000-8000-000000000001',
  name: 'Vault',
  plan: 'stone-barn',
  plan_version: 1,
  tier: 'heath',
  quantity: 2,
  version: 5,
  ends_on: null,
  earliest_end: '2026-12-31',
  notice_by: '2026-12-01',
  stretches: [
    {
      starts_on: '2026-09-01',
      plan_version: 1,
      tier: 'heath',
      quantity: 2,
      paused: false,
      trial: false,
      choices: { 'backup/place': 'far' },
      special_terms: { allowances: { 'backup/protected': '10 GiB-hour' } },
    },
  ],
} as unknown as Subscription;

const SESSION = { memberships: [{ organisation: 'bluefern', rights: [] }] } as unknown as Session;
export const asked: { method: string; path: string; options: { body?: unknown; params?: unknown } }[] = [];
export const closed = vi.fn();
let refusal: Refusal | null = null;
/** What the service says from now on; null is that it does as it is asked. */
export const refuse = (next: Refusal | null): void => {
  refusal = next;
};

/** The service and the page as before each test of a file, which calls this once. */
export function afresh(): void {
  beforeEach(begin);
  afterEach(() => {
    vi.restoreAllMocks();
    rememberSignedIn(false);
  });
}

function begin(): void {
  asked.length = 0;
  closed.mockClear();
  refusal = null;
  rememberSignedIn(true);
  vi.spyOn(api, 'GET').mockImplementation(((path: string) =>
    Promise.resolve({ data: path === '/api/v1/session' ? SESSION : { items: [] } })) as never);
  for (const method of ['POST', 'PUT', 'PATCH', 'DELETE'] as const)
    vi.spyOn(api, method).mockImplementation(((path: string, options: object) => {
      if (path !== '/api/v1/estimates') asked.push({ method, path, options });
      if (path === '/api/v1/estimates')
        return Promise.resolve({
          data: { currency: 'EUR', total: '120.00', rate_card: 'tenants-eur', seller: 'tarnwick' },
        });
      return refusal
        ? Promise.reject(refusal)
        : Promise.resolve({ data: { version: 9, ...(options as { body?: object }).body } });
    }) as never);
}

export const draw = (view: ReactElement) =>
  drawn(view, [
    [
      plansOptions.queryKey,
      [{ slug: 'stone-barn', version: 2, offered: true, recommended: 'moor', form: PLAN }],
    ],
    [servicesOptions.queryKey, [{ slug: 'backup', form: BACKUP }]],
    [projectsOptions('gannet').queryKey, [{ slug: 'customs', name: 'Customs' }]],
    [rateCardsOptions.queryKey, [{ slug: 'gannet-eur', name: 'For Gannet', seller: 'bluefern' }]],
    [sessionOptions.queryKey, SESSION],
    [
      quotasOptions('bluefern').queryKey,
      [{ measure: 'storage', project: null, left: '40', limit: '100', unit: 'GiB' }],
    ],
  ]);
/** What a field of a day holds, and is given. */
export const dayField = (label: string) =>
  within(
    screen
      .getByRole('group', { name: new RegExp(`^${label}`) })
      .closest('.MuiFormControl-root') as HTMLElement,
  ).getByRole('textbox', { hidden: true });
export function choose(label: string, option: string): void {
  fireEvent.mouseDown(screen.getByRole('combobox', { name: new RegExp(`^${label}`) }));
  fireEvent.click(screen.getByRole('option', { name: option }));
}
export const sent = async () => {
  await waitFor(() => expect(asked).toHaveLength(1));
  await waitFor(() => expect(closed).toHaveBeenCalled());
  return asked[0];
};

/** The dialog that takes a tier of the plan. */
export const order = () =>
  draw(
    <OrderDialog
      organisation={GANNET}
      plan={PLAN}
      tier={PLAN.tiers[1] as Tier}
      quantity="1"
      from={TODAY}
      onDone={vi.fn()}
      onClose={closed}
    />,
  );
export const accept = () => fireEvent.click(screen.getByLabelText('The customer accepts terms 2026-11'));
