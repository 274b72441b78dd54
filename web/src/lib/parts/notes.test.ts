import { beforeEach, describe, expect, it, vi } from 'vitest';

interface Shown {
  title: string;
  action?: { label: string; onClick: () => void };
}
const { shown, gone, answers, asked } = vi.hoisted(() => ({
  shown: [] as Shown[],
  gone: [] as unknown[],
  answers: [] as unknown[],
  asked: [] as string[],
}));
vi.mock('@skeletonlabs/skeleton-svelte', () => ({
  createToaster: () => ({
    create: (toast: Shown) => shown.push(toast),
    update: (_: number, toast: Shown) => shown.push(toast),
    dismiss: () => undefined,
    remove: (id: unknown) => gone.push(id),
  }),
}));
vi.mock('$lib/api/client', () => {
  const ask = (method: string) => (path: string) => {
    asked.push(`${method} ${path}`);
    const answer = answers.shift();
    return answer instanceof Error ? Promise.reject(answer) : Promise.resolve(answer);
  };
  class ApiProblem extends Error {
    constructor(
      readonly status: number,
      readonly code: string,
      message: string,
    ) {
      super(message);
    }
  }
  return {
    ApiProblem,
    api: { GET: ask('GET'), POST: ask('POST') },
    done: (answer: Promise<unknown>) => answer,
  };
});

const { follow, noteAction, sendUnlessChanged, undoKept, undoLast } = await import('./notes.svelte');
const { ApiProblem } = await import('$lib/api/client');
const { texts } = await import('$lib/words');
const settled = () => new Promise((later) => setTimeout(later, 0));
const job = (state: string, more: object = {}) =>
  ({ id: 7, state, progress: 0.5, message: null, ...more }) as never;

describe('what was done can be taken back', () => {
  beforeEach(() => {
    shown.length = answers.length = asked.length = 0;
  });

  it('one message at a time: what is said now takes the place of the one before', () => {
    gone.length = 0;
    noteAction('First.', 1, async () => undefined);
    noteAction('Second.', 2, async () => undefined);
    expect(shown.map((one) => one.title)).toEqual(['First.', 'Second.']);
    expect(gone.at(-1)).toBe(1);
  });

  it('by the number of the action, and the page looks again afterwards', async () => {
    const after = vi.fn(async () => undefined);
    answers.push({});
    noteAction('Changed.', 12, after);
    shown[0]?.action?.onClick();
    await settled();
    expect(asked).toEqual(['POST /api/actions/{action_id}/undo']);
    expect(after).toHaveBeenCalledOnce();
    expect(shown.at(-1)?.title).toBe(texts.handIn.undone);
  });

  it('once: the key for undo does nothing a second time', async () => {
    answers.push({}, {});
    noteAction('Changed.', 12, async () => undefined);
    undoLast();
    undoLast();
    await settled();
    expect(asked).toHaveLength(1);
  });

  it('and when that fails it is said, not that it was undone', async () => {
    answers.push(new Error('Somebody changed it since.'));
    const after = vi.fn(async () => undefined);
    noteAction('Changed.', 12, after);
    undoLast();
    await settled();
    expect(after).not.toHaveBeenCalled();
    expect(shown.map((toast) => toast.title)).toEqual(['Changed.', 'Somebody changed it since.']);
  });

  it('where somebody changed the same since it asks, and goes on only when told to', async () => {
    answers.push(new ApiProblem(409, 'changed-since', 'Ben changed the same since.'), {});
    const after = vi.fn(async () => undefined);
    noteAction('Changed.', 12, after);
    undoLast();
    await settled();
    expect(after).not.toHaveBeenCalled();
    expect(shown.at(-1)?.title).toBe('Ben changed the same since.');
    expect(shown.at(-1)?.action?.label).toBe(texts.handIn.undoAnyway);
    shown.at(-1)?.action?.onClick();
    await settled();
    expect(asked).toHaveLength(2);
    expect(after).toHaveBeenCalledOnce();
    expect(shown.at(-1)?.title).toBe(texts.handIn.undone);
  });

  it('what somebody else wrote meanwhile is shown, and replaced only when told to', async () => {
    const tries: boolean[] = [];
    const later = vi.fn();
    const send = async (insisting: boolean): Promise<string> => {
      tries.push(insisting);
      if (!insisting) throw new ApiProblem(409, 'changed-meanwhile', 'Ben changed this meanwhile.');
      return 'kept';
    };
    expect(await sendUnlessChanged(send, later)).toBeUndefined();
    expect(tries).toEqual([false]);
    expect(shown.at(-1)?.title).toBe('Ben changed this meanwhile.');
    shown.at(-1)?.action?.onClick();
    await settled();
    expect(tries).toEqual([false, true]);
    expect(later).toHaveBeenCalledWith('kept');
    await expect(sendUnlessChanged(async () => Promise.reject(new Error('Away.')), later)).rejects.toThrow(
      'Away.',
    );
  });

  it('after the page was loaded anew: the own last action, as the server keeps it', async () => {
    const after = vi.fn(async () => undefined);
    const row = { at: '', undone: false, can_undo: true };
    const actions = [
      { ...row, id: 9, who: 'Assistant', summary: 'Theirs.' },
      { ...row, id: 8, who: 'Coach', summary: 'Taken back already.', can_undo: false },
      { ...row, id: 7, who: 'Coach', summary: 'Two laps do not count.' },
    ];
    answers.push({ actions, next: null }, {});
    await undoKept('Coach', after);
    expect(asked).toEqual(['GET /api/actions', 'POST /api/actions/{action_id}/undo']);
    expect(after).toHaveBeenCalledOnce();
    expect(shown.at(-1)?.title).toBe(texts.handIn.tookBack('Two laps do not count.'));
    answers.push({ actions: actions.slice(0, 2), next: null });
    await undoKept('Coach', after);
    expect(shown.at(-1)?.title).toBe(texts.handIn.nothingToUndo);
  });

  it('nothing is offered where nothing was changed', () => {
    noteAction('Nothing to do.', null, async () => undefined);
    expect(shown[0]?.action).toBeUndefined();
  });
});

describe('long work is followed to its end', () => {
  beforeEach(() => {
    vi.useFakeTimers();
    shown.length = answers.length = asked.length = 0;
  });

  it('with its progress', async () => {
    answers.push(job('running', { progress: 0.25 }), job('done', { progress: 1 }));
    const end = follow(job('waiting'), 'Parquet');
    await vi.runAllTimersAsync();
    expect((await end)?.state).toBe('done');
    expect(shown.some((toast) => toast.title.endsWith('25 %'))).toBe(true);
    expect(shown.at(-1)?.title).toBe(texts.saved('Parquet'));
    vi.useRealTimers();
  });

  it('and says why it came to nothing', async () => {
    answers.push(job('failed', { message: 'The run has no positions.' }));
    const end = follow(job('running'), 'GPX');
    await vi.runAllTimersAsync();
    expect((await end)?.state).toBe('failed');
    expect(shown.at(-1)?.title).toBe('The run has no positions.');
    answers.push(new Error('The server does not answer.'));
    const lost = follow(job('running'), 'GPX');
    await vi.runAllTimersAsync();
    expect(await lost).toBeNull();
    expect(shown.at(-1)?.title).toBe('The server does not answer.');
    vi.useRealTimers();
  });
});
