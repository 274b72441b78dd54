// Short notes at the foot of the page, most of them with a way back.
import { api, ApiProblem, done, type Job } from '$lib/api/client';
import { createToaster } from '@skeletonlabs/skeleton-svelte';
import { texts } from '$lib/words';

export const toaster = createToaster({ placement: 'bottom', duration: 9000, max: 3 });

/** One at a time: what is said now takes the place of what was said before; what is under way stays. */
let shown: string | undefined;
function say(options: Parameters<typeof toaster.create>[0]): void {
  if (shown !== undefined) toaster.remove(shown);
  shown = toaster.create(options);
}

let last: (() => Promise<void>) | null = null;

/** Say what was done and offer to undo it; what only asks back instead gives false. */
export function noteUndo(title: string, undo: () => Promise<unknown>): void {
  const once = async (): Promise<void> => {
    if (last === once) last = null;
    try {
      if ((await undo()) === false) return;
    } catch (error) {
      noteTrouble(error);
      return;
    }
    say({ title: texts.handIn.undone, duration: 3000 });
  };
  last = once;
  say({ title, action: { label: texts.handIn.undo, onClick: () => void once() } });
}

export function note(title: string): void {
  say({ title, duration: 5000 });
}

function noteTrouble(error: unknown): void {
  note(error instanceof Error ? error.message : String(error));
}

const LOOK_MS = 400;

/** Follow long work to its end, with its progress and a way to cancel it at the foot of the page; null where it failed. */
export async function follow(begun: Job, name: string): Promise<Job | null> {
  const params = { path: { job_id: begun.id } };
  const shown = toaster.create({
    title: texts.saving(name),
    duration: Infinity,
    action: {
      label: texts.cancel,
      onClick: () => void done(api.POST('/api/jobs/{job_id}/cancel', { params })).catch(noteTrouble),
    },
  });
  try {
    let job = begun;
    while (job.state === 'waiting' || job.state === 'running') {
      await new Promise((later) => setTimeout(later, LOOK_MS));
      job = await done(api.GET('/api/jobs/{job_id}', { params }));
      toaster.update(shown, { title: `${texts.saving(name)} ${Math.round(job.progress * 100)} %` });
    }
    note(job.state === 'done' ? texts.saved(name) : (job.message ?? texts.cancelled(name)));
    return job;
  } catch (error) {
    noteTrouble(error);
    return null;
  } finally {
    toaster.dismiss(shown);
  }
}

/** Note what was done, to be taken back by the number under which the server keeps it. */
export function noteAction(
  title: string,
  action: number | null | undefined,
  after: () => Promise<void>,
): void {
  if (action === null || action === undefined) {
    note(title);
    return;
  }
  noteUndo(title, () => takeBack(action, after, () => note(texts.handIn.undone)));
}

/**
 * Take back what the server keeps under a number. Where somebody changed the same since, say so and offer to do it anyway;
 * false then.
 */
async function takeBack(action: number, after: () => Promise<void>, finished: () => void): Promise<boolean> {
  const path = { action_id: action };
  const undo = async (anyway: boolean): Promise<void> => {
    await done(
      api.POST('/api/actions/{action_id}/undo', { params: { path, query: anyway ? { anyway } : {} } }),
    );
    await after();
  };
  try {
    await undo(false);
    return true;
  } catch (error) {
    if (!(error instanceof ApiProblem && error.code === 'changed-since')) throw error;
    insist(error.message, texts.handIn.undoAnyway, async () => {
      await undo(true);
      finished();
    });
    return false;
  }
}

/** Ask whether something is to be done although somebody else did something meanwhile. No other message takes its place. */
function insist(title: string, label: string, go: () => Promise<void>): void {
  toaster.create({ title, duration: 30_000, action: { label, onClick: () => void go().catch(noteTrouble) } });
}

/**
 * Send what somebody wrote. Where somebody else changed the same meanwhile, show what stands there and offer to keep one's
 * own anyway; undefined then, and `later` is called if they do.
 */
export async function sendUnlessChanged<T>(
  send: (insisting: boolean) => Promise<T>,
  later: (kept: T) => void | Promise<void>,
): Promise<T | undefined> {
  try {
    return await send(false);
  } catch (error) {
    if (!(error instanceof ApiProblem && error.code === 'changed-meanwhile')) throw error;
    insist(error.message, texts.handIn.keepMine, async () => later(await send(true)));
    return undefined;
  }
}

/** Take the last change back, if there is one. */
export function undoLast(): void {
  const undo = last;
  last = null;
  void undo?.();
}

/**
 * The same after the page was loaded anew: what this person did last is asked of the server, which keeps it with its way
 * back. Nothing is taken back that somebody else did, or twice.
 */
export async function undoKept(who: string, after: () => Promise<void>): Promise<void> {
  if (last) {
    undoLast();
    return;
  }
  try {
    const { actions } = await done(api.GET('/api/actions', { params: { query: { limit: 10 } } }));
    const own = actions.find((action) => action.who === who && action.can_undo);
    if (!own) {
      note(texts.handIn.nothingToUndo);
      return;
    }
    const told = (): void => note(texts.handIn.tookBack(own.summary));
    if (await takeBack(own.id, after, told)) told();
  } catch (error) {
    noteTrouble(error);
  }
}
