// The typed client. `schema.d.ts` is generated from the server's OpenAPI description in the build, so that a changed
// field breaks the build.
import createClient, { type Middleware } from 'openapi-fetch';
import type { components, paths } from '$lib/api/schema';
import { again } from '$lib/session/again.svelte';
import { interrupted } from '$lib/session/interrupted.svelte';
import { texts } from '$lib/words';

type Schemas = components['schemas'];
export type Session = Schemas['Session'];
export type Me = NonNullable<Session['me']>;
export type Paddock = Schemas['PaddockOut'];
export type DayMeasured = Schemas['DayMeasured'];
export type PaddockRun = Paddock['runs'][number];
export type HandInList = Schemas['HandInList'];
export type HandIn = Schemas['HandInOut'];
export type RunDetail = NonNullable<HandIn['run']>;
export type ManyRuns = Schemas['ManyRuns'];
export type LabelChange = Schemas['ManyLabels']['change'];
export type ChannelOut = Schemas['ChannelsOut']['channels'][number];
export type LinkOut = Schemas['LinkList']['links'][number];
export type LinkPage = Schemas['LinkPage'];
export type DeskLineUp = Schemas['DeskOut'];
export type PartFigures = Schemas['PartFiguresOut'];
export type BesideRow = Schemas['BesideOut']['rows'][number];
export type KeptLineUp = Schemas['LineUpOut'];
export type Staves = Schemas['Staves'];
export type DeskLap = DeskLineUp['laps'][number];
export type Layout = DeskLineUp['layout'];
export type Passage = Layout['passages'][number];
export type Card = Schemas['CardOut'];
export type SaidPart = Card['figures'][number]['says'][number];
export type DayReading = Schemas['DayReading'];
export type Without = Schemas['WithoutOut'];
export type CardFigures = Card['figures'][number];
export type Doubt = Schemas['DoubtOut'];
export type DeskNote = Schemas['NoteOut'];
export type DebriefDay = Schemas['DebriefDay'];
export type DebriefDriver = DebriefDay['drivers'][number];
export type DebriefHead = Schemas['DebriefHead'];
export type Cue = DebriefHead['cues'][number];
export type Prepared = Schemas['PrepareOut'];
export type Finding = Prepared['findings'][number];
export type KeepProposal = Prepared['strengths'][number];
export type CueAnswered = Prepared['answers'][string];
export type CueIn = Schemas['CueIn'];
export type DebriefSheet = Schemas['DebriefSheet'];
export type SheetPiece = DebriefSheet['pieces'][number];
export type OwnDebriefs = Schemas['OwnDebriefs'];
export type DriverRun = NonNullable<OwnDebriefs['latest']>;
export type DriverSeason = Schemas['DriverSeason'];
export type FollowState = DriverSeason['follow'];
export type SeasonRun = DriverSeason['runs'][number];
export type CueOver = DriverSeason['cues'][number];
export type SchoolSeason = Schemas['SchoolSeason'];
export type Effect = NonNullable<DriverSeason['change']>;
export type DayCourse = Schemas['DayCourse'];
export type CalendarDay = Schemas['CalendarOut']['days'][number];
export type Found = Schemas['FindOut'];
export type Hit = Found['hits'][number];
export type Steady = Schemas['SteadyOut'];
export type SteadyPassage = Steady['passages'][number];
export type Grip = Schemas['GripOut'];
export type Often = Schemas['OftenOut'];
export type LapPoints = Schemas['PointsOut']['laps'][number];
export type Samples = Schemas['SamplesOut'];
export type Choices = Schemas['ChoicesOut'];
export type RunChoices = Choices['runs'][number];
export type FillingKind = NonNullable<paths['/api/fillings']['get']['parameters']['query']>['kind'];
export type Difference = DeskLap['differs'][number];
export type Registry = Schemas['RegistryOut'];
export type Job = Schemas['JobOut'];
export type RunningJob = Schemas['RunningOut']['ended'][number];
export type MyAccount = Schemas['MyAccount'];
export type TeamOut = Schemas['TeamOut'];
export type InvitationOut = Schemas['InvitationOut'];
export type InvitationPage = Schemas['InvitationPage'];
export type Forgotten = Schemas['Forgotten'];
export type Removal = Schemas['Removal'];

export type DayLaps = Schemas['LapsOut'];
export type SheetLap = DayLaps['laps'][number];
export type SheetDriver = DayLaps['drivers'][number];
export type Stints = Schemas['StintsOut'];
export type Stint = Stints['stints'][number];
export type Watch = Schemas['WatchOut'];
export type WatchLap = Watch['laps'][number];
export type CarOut = Watch['cars'][number];
export type CarSheetIn = CarOut['sheet'];
export type Excursion = Watch['excursions'][number];
export type AnyLap = Schemas['AllLapsOut']['laps'][number];
export type Ground = Schemas['GroundOut'];
export type DrawingIn = Schemas['DrawingIn'];
export type EdgesIn = Schemas['EdgesIn'];
export type CircuitPreview = Schemas['PreviewOut'];
export type FindingChange = Schemas['FindingsPreview']['changes'][number];
export type MarkOut = Ground['marks'][number];

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

let toldBuild: (build: string) => void = () => {};

/** Who wants to know which program and database answer: what the browser keeps of others is not shown. */
export function onBuild(told: (build: string) => void): void {
  toldBuild = told;
}

// What was sent, so that it can be sent once more where the session had ended; bodies can be read only once.
const sent = new WeakMap<Request, Request>();

const carryToken: Middleware = {
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', csrf);
    sent.set(request, request.clone());
    return request;
  },
  async onResponse({ request, response }) {
    const before = sent.get(request);
    sent.delete(request);
    const build = response.headers.get('X-Lauftakt-Build');
    if (build) toldBuild(build);
    if (!before || response.ok) return response;
    if (before.method === 'GET' && response.status === 503) return askedAgain(before, response);
    if (!(await mayRepeat(before, response))) return response;
    if (before.method !== 'GET') before.headers.set('X-CSRFToken', csrf);
    return fetch(before);
  },
  async onError({ request, error }) {
    const before = sent.get(request);
    sent.delete(request);
    const meant = error instanceof DOMException && error.name === 'AbortError';
    if (!before || meant || before.method !== 'GET') return undefined;
    return askedAgain(before, null);
  },
};

const MOST_TRIES = 4;

/** What only reads is asked for again once the server and its database are there: the page goes on by itself. */
async function askedAgain(request: Request, response: Response | null): Promise<Response> {
  let answer = response;
  // Where everything else answers, and this again and again does not, it is told: waiting would not help.
  for (let tries = 0; answer === null || answer.status === 503; tries++) {
    if (tries === MOST_TRIES) {
      if (answer === null) throw new TypeError('no answer');
      return answer;
    }
    const told = answer
      ? ((await answer
          .clone()
          .json()
          .catch(() => ({}))) as { message?: string })
      : {};
    await interrupted.over(told.message ?? texts.interrupted.server);
    request.signal.throwIfAborted();
    answer = await fetch(request.clone()).catch((cause: unknown) => {
      request.signal.throwIfAborted();
      if (!(cause instanceof TypeError)) throw cause;
      return null;
    });
  }
  return answer;
}

/** Whether a request may be sent again: a stale token was renewed, or whoever is there signed in once more. */
async function mayRepeat(request: Request, response: Response): Promise<boolean> {
  const path = new URL(request.url).pathname;
  if (response.status !== 400 && response.status !== 401) return false;
  const { code } = (await response
    .clone()
    .json()
    .catch(() => ({}))) as { code?: string };
  if (response.status === 400 && code === 'token') return renewToken();
  return code === 'signed-out' && path !== '/api/session' && again.ask();
}

/** The token belongs to a cookie that another page of this browser may have changed. */
export async function renewToken(): Promise<boolean> {
  const answer = await fetch('/api/session').catch(() => null);
  if (!answer?.ok) return false;
  keepToken(((await answer.json()) as Session).csrf);
  return true;
}

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
    throw new ApiProblem(0, 'offline', texts.interrupted.away);
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
export async function fetchArrow(
  what: 'curves' | 'bands' | 'driven',
  query: Record<string, string>,
  signal: AbortSignal,
): Promise<Uint8Array> {
  const answer = await fetched(`/api/${what}?${new URLSearchParams(query)}`, signal);
  return new Uint8Array(await answer.arrayBuffer());
}

/** A file that the server makes, to be kept. */
export const fetchFile = async (address: string): Promise<Blob> => (await fetched(address)).blob();

async function fetched(address: string, signal?: AbortSignal): Promise<Response> {
  const ask = async (): Promise<Response> => {
    const request = new Request(address, signal ? { signal } : {});
    const answer = await fetch(request.clone()).catch((cause: unknown) => {
      if (!(cause instanceof TypeError)) throw cause;
      return null;
    });
    return answer === null || answer.status === 503 ? askedAgain(request, answer) : answer;
  };
  let answer = await ask();
  if (answer.status === 401 && (await again.ask())) answer = await ask();
  if (!answer.ok) {
    const problem = (await answer.json().catch(() => ({}))) as { code?: string; message?: string };
    throw new ApiProblem(
      answer.status,
      problem.code ?? 'error',
      problem.message ?? 'This could not be loaded.',
    );
  }
  return answer;
}
