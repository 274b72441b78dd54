// Short notes at the foot of the page, most of them with a way back.
import { createToaster } from '@skeletonlabs/skeleton-svelte';
import { texts } from '../texts';

export const toaster = createToaster({ placement: 'bottom', duration: 9000, max: 3 });

let last: (() => Promise<void>) | null = null;

/** Say what was done and offer to undo it. */
export function noteUndo(title: string, undo: () => Promise<void>): void {
  const once = async (): Promise<void> => {
    if (last === once) last = null;
    await undo();
    toaster.create({ title: texts.handIn.undone, duration: 3000 });
  };
  last = once;
  toaster.create({ title, action: { label: texts.handIn.undo, onClick: () => void once() } });
}

export function note(title: string): void {
  toaster.create({ title, duration: 5000 });
}

/** Take the last change back, if there is one. */
export function undoLast(): void {
  const undo = last;
  last = null;
  void undo?.();
}
