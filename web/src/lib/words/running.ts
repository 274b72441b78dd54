// Texts of "What is running".
import { handInTexts } from './hand-in';

export const runningTexts = {
  title: 'What is running',
  about:
    'Everything Lauftakt works on for your team: files that are taken in, numbers that are made anew, papers and archives.',
  underWay: 'Under way',
  ended: 'Ended',
  nothing: 'Nothing is running.',
  nothingNext: 'Hand in a log, and it appears here while it is taken in.',
  toHandIn: 'Go to hand-in',
  noneEnded: 'Nothing has ended yet.',
  noneFailed: 'Nothing failed or was refused.',
  open: (count: number) => (count === 1 ? 'One piece of work is open.' : `${count} pieces of work are open.`),
  andMore: (count: number) => `and ${count} more`,
  older: 'Older ones',
  onlyTrouble: 'Only what failed or was refused',
  kinds: {
    import: 'Import',
    renew: 'Numbers made anew',
    reline: 'A better line',
    seal: 'Checksums for older data',
    export: 'Export',
    compare: 'Comparison of the day',
    follow: 'Paces and cues over days',
    remove: 'Removal for good',
    demo: 'The made-up school',
    backup: 'Backup',
    sheets: 'Sheets of a day',
  } as Record<string, string>,
  states: {
    done: 'Done',
    refused: 'Refused',
    cancelled: 'Cancelled',
    failed: 'Failed',
  } as Record<string, string>,
  steps: {
    ...handInTexts.steps,
    comparing: 'Comparing',
    following: 'Following',
    writing: 'Writing',
    removing: 'Deleting',
    'reading runs': 'Reading runs',
    'making the line': 'Making the line',
    'driving the laps': 'Driving the laps',
    'handing in': 'Handing in',
  } as Record<string, string>,
  ahead: (count: number) =>
    count === 0
      ? 'Next in the queue'
      : count === 1
        ? 'Waiting, one before it'
        : `Waiting, ${count} before it`,
  stopping: 'Stopping',
  tries: (count: number) => `try ${count}`,
  by: (who: string) => `asked for by ${who}`,
  stop: 'Stop',
  again: 'Try again',
  fetch: 'Fetch the file',
  took: (seconds: number) =>
    seconds < 90
      ? `${Math.max(1, Math.round(seconds))} s`
      : seconds < 5400
        ? `${Math.round(seconds / 60)} min`
        : `${(seconds / 3600).toFixed(1)} h`,
};
