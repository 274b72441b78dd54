// Every text of the interface, by place, ready to be translated.
import { circuitTexts } from './circuit';
import { compareTexts, keyTexts } from './compare';
import { dayReferenceTexts } from './dayReference';
import { debriefTexts } from './debrief';
import { doubtTexts } from './doubt';
import { handInTexts } from './hand-in';
import { lapsTexts } from './laps';
import { paddockTexts } from './paddock';
import { runningTexts } from './running';
import { seasonTexts } from './season';
import { tableTexts } from './table';
import { allLapsTexts, stintTexts, trafficTexts, watchTexts } from './watch';
import {
  accountTexts,
  firstTexts,
  joinTexts,
  personTexts,
  removalTexts,
  signInTexts,
  stepsTexts,
} from './session';

const names = new Intl.ListFormat('en-GB');

export const texts = {
  name: 'Lauftakt',
  /** "Ada, Bo and Cy" */
  list: (items: readonly string[]): string => names.format(items),
  places: {
    paddock: 'Paddock',
    handIn: 'Hand-in',
    laps: 'Laps',
    circuit: 'Circuit',
    compare: 'Compare',
    debrief: 'Debrief',
  },
  signIn: signInTexts,
  account: accountTexts,
  first: firstTexts,
  join: joinTexts,
  person: personTexts,
  removal: removalTexts,
  steps: stepsTexts,
  table: tableTexts,
  watch: watchTexts,
  traffic: trafficTexts,
  stint: stintTexts,
  allLaps: allLapsTexts,
  loading: 'Loading …',
  again: 'Try again',
  interrupted: {
    server: 'The server does not answer. This page waits and goes on by itself.',
    connection: 'This computer is offline. This page waits and goes on by itself.',
    away: 'The server does not answer, so this may not have been done. Look again in a moment.',
    now: 'Look now',
  },
  close: 'Close',
  cancel: 'Cancel',
  notDrawn: 'This picture could not be drawn.',
  unknownPage: 'There is no such page.',
  toPaddock: 'Go to the paddock',
  saving: (name: string) => `Writing ${name} …`,
  saved: (name: string) => `${name} is ready.`,
  cancelled: (name: string) => `Cancelled: ${name} was not written.`,
  dayReference: dayReferenceTexts,
  paddock: paddockTexts,
  season: seasonTexts,
  running: runningTexts,
  handIn: handInTexts,
  circuit: circuitTexts,
  laps: lapsTexts,
  compare: compareTexts,
  channels: {
    /** What has to be known to read a channel. */
    remarks: { brake_pedal: 'Pedal travel: heights do not compare between days.' } as Record<string, string>,
  },
  debrief: debriefTexts,
  doubt: doubtTexts,
  keys: keyTexts,
};
