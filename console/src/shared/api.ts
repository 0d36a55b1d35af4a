/** The service's interface, typed by its own description; refusals are thrown as `Refusal`. */
import createClient, { type Middleware } from 'openapi-fetch';
import type { components, paths } from './schema';

export type Schemas = components['schemas'];

/** A refusal of the service (RFC 9457). */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly facts: Record<string, unknown> = {},
  ) {
    super(message);
  }
}

let csrf = '';

/** Keep the value that changing calls of this session need. */
export const setCsrf = (value: string | null | undefined): void => {
  csrf = value ?? '';
};

const credentials: Middleware = {
  onRequest({ request }) {
    if (csrf) request.headers.set('X-CSRF-Token', csrf);
    // So that the service can repeat the call when its database does not answer.
    if (request.method === 'POST') request.headers.set('Idempotency-Key', crypto.randomUUID());
    return request;
  },
  async onResponse({ response }) {
    if (response.ok) return;
    const body: unknown = await response
      .clone()
      .json()
      .catch(() => null);
    const problem = body as { code?: string; detail?: string; facts?: Record<string, unknown> } | null;
    throw new Refusal(
      response.status,
      problem?.code ?? 'error',
      problem?.detail ?? `the service answered ${response.status}`,
      problem?.facts,
    );
  },
  onError() {
    return new Refusal(
      0,
      'unreachable',
      'the service does not answer; check that it is running, then try again',
    );
  },
};

export const api = createClient<paths>({ baseUrl: '/', credentials: 'same-origin' });
api.use(credentials);

/** The body of an answer that succeeded. */
export function body<T>(answer: { data?: T }): T {
  if (answer.data === undefined) throw new Refusal(0, 'empty', 'the service sent an empty answer; try again');
  return answer.data;
}
