// Short notes at the foot of the page, most of them with a way back.
import { api, done, type Job } from '$lib/api/client';
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

/** Say what was done and offer to undo it. */
export function noteUndo(title: string, undo: () => Promise<void>): void {
  const once = async (): Promise<void> => {
    if (last === once) last = null;
    try {
      await undo();
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
  noteUndo(title, async () => {
    await done(api.POST('/api/actions/{action_id}/undo', { params: { path: { action_id: action } } }));
    await after();
  });
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
    await done(api.POST('/api/actions/{action_id}/undo', { params: { path: { action_id: own.id } } }));
    await after();
    note(texts.handIn.tookBack(own.summary));
  } catch (error) {
    noteTrouble(error);
  }
}
