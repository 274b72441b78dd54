// The typed client. `schema.d.ts` is generated from the server's OpenAPI description in the build, so that a changed
// field breaks the build.
import createClient, { type Middleware } from 'openapi-fetch';
import type { components, paths } from '$lib/api/schema';

type Schemas = components['schemas'];
export type Session = Schemas['Session'];
export type Me = NonNullable<Session['me']>;
export type Paddock = Schemas['PaddockOut'];
export type PaddockRun = Paddock['runs'][number];
export type HandInList = Schemas['HandInList'];
export type HandIn = Schemas['HandInOut'];
export type RunDetail = NonNullable<HandIn['run']>;
export type LabelChange = Schemas['ManyLabels']['change'];
export type ChannelOut = Schemas['ChannelsOut']['channels'][number];
export type LinkOut = Schemas['LinkList']['links'][number];
export type LinkPage = Schemas['LinkPage'];
export type DeskLineUp = Schemas['DeskOut'];
export type DeskLap = DeskLineUp['laps'][number];
export type Layout = DeskLineUp['layout'];
export type Passage = Layout['passages'][number];
export type Card = Schemas['CardOut'];
export type CardFigures = Card['figures'][number];
export type Choices = Schemas['ChoicesOut'];
export type Registry = Schemas['RegistryOut'];
export type Job = Schemas['JobOut'];

/** An answer that is not a success, with the server's sentence for the person. */
export class ApiProblem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
  ) {
    super(message);
  }
}

let csrf = '';

export function keepToken(token: string): void {
  csrf = token;
}

export function token(): string {
  return csrf;
}

const carryToken: Middleware = {
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', csrf);
    return request;
  },
};

export const api = createClient<paths>({ baseUrl: '/' });
api.use(carryToken);

/** The data of an answer, or an ApiProblem that says in plain words what went wrong. */
export async function done<T>(
  answer: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<T> {
  let found: { data?: T; error?: unknown; response: Response };
  try {
    found = await answer;
  } catch (cause) {
    if (cause instanceof DOMException && cause.name === 'AbortError') throw cause;
    throw new ApiProblem(
      0,
      'offline',
      'The server does not answer. Is Lauftakt still running on this machine?',
    );
  }
  if (found.response.ok) return found.data as T;
  const problem = (found.error ?? {}) as { code?: string; message?: string };
  throw new ApiProblem(
    found.response.status,
    problem.code ?? 'error',
    problem.message ?? `The server answered with error ${found.response.status}.`,
  );
}

/** Curves as an Arrow stream: fetched by hand because the generated client speaks JSON. */
export async function fetchCurves(
  query: { laps: string; reference: string; roles: string; build: string },
  signal: AbortSignal,
): Promise<Uint8Array> {
  const answer = await fetch(`/api/curves?${new URLSearchParams(query)}`, { signal });
  if (!answer.ok) {
    const problem = (await answer.json().catch(() => ({}))) as { code?: string; message?: string };
    throw new ApiProblem(
      answer.status,
      problem.code ?? 'error',
      problem.message ?? 'The curves could not be loaded.',
    );
  }
  return new Uint8Array(await answer.arrayBuffer());
}
