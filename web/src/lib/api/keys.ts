// Every query key in one place. What never changes is keyed by analyses and the program's build; everything else is
// asked for again.
import type { Part } from '$lib/desk/desk.svelte';

export const keys = {
  paddock: (asked: object) => ['paddock', asked] as const,
  dayReference: (event: number) => ['day-reference', event] as const,
  anyDayReference: () => ['day-reference'] as const,
  anyPaddock: () => ['paddock'] as const,
  dayReading: (event: number) => ['paddock', 'reading', event] as const,
  olderEvents: (asked: object) => ['older-events', asked] as const,
  handIns: (asked: object) => ['hand-ins', asked] as const,
  channels: (run: number | string) => ['channels', run] as const,
  links: () => ['links'] as const,
  account: () => ['account'] as const,
  running: (trouble: boolean) => ['running', trouble] as const,
  team: () => ['team'] as const,
  loggers: () => ['loggers'] as const,
  stream: () => ['stream'] as const,
  desk: (asked: object) => ['desk', asked] as const,
  anyDesk: () => ['desk'] as const,
  curves: (build: string, laps: string, reference: string, roles: string) =>
    ['curves', build, laps, reference, roles] as const,
  card: (laps: string, reference: string, part: Part | null, corner: string | null) =>
    ['card', laps, reference, part, corner] as const,
  without: (lap: string, reference: string, part: Part | null, corner: string | null, cause: string | null) =>
    ['card', 'without', lap, reference, part, corner, cause] as const,
  bands: (build: string, laps: string, reference: string, roles: string, from: number) =>
    ['bands', build, laps, reference, roles, from] as const,
  driven: (build: string, laps: string) => ['driven', build, laps] as const,
  points: (build: string, laps: string) => ['driven', 'points', build, laps] as const,
  steady: (lap: string, reference: string) => ['card', 'steady', lap, reference] as const,
  grip: (laps: string, part: Part | null) => ['card', 'grip', laps, part] as const,
  often: (build: string, laps: string, role: string, part: Part | null) =>
    ['often', build, laps, role, part] as const,
  samples: (laps: string, roles: string, from: number, to: number) =>
    ['card', 'samples', laps, roles, from, to] as const,
  doubt: (build: string, laps: string, reference: string, from: number) =>
    ['doubt', build, laps, reference, from] as const,
  figures: (laps: string, reference: string, part: Part | null, corner: string | null) =>
    ['card', 'figures', laps, reference, part, corner] as const,
  beside: (build: string, lap: string, reference: string, by: string) =>
    ['card', 'beside', build, lap, reference, by] as const,
  stretches: (build: string, lap: string, reference: string) => ['stretches', build, lap, reference] as const,
  heldUp: (laps: string) => ['card', 'held-up', laps] as const,
  lineUps: (event: number) => ['line-ups', event] as const,
  notes: (layout: number, version: number, runs: string, find: string) =>
    ['notes', layout, version, runs, find] as const,
  anyNotes: () => ['notes'] as const,
  debriefs: (event: number | null) => ['debrief', 'day', event] as const,
  prepare: (run: number) => ['debrief', 'run', run] as const,
  cuesOf: (run: number) => ['debrief', 'cues', run] as const,
  debriefSheet: (debrief: number, units: string) => ['debrief', 'sheet', debrief, units] as const,
  passagePicture: (address: string) => ['passage-picture', address] as const,
  ownDebriefs: (by: string) => ['debrief', 'own', by] as const,
  anyDebrief: () => ['debrief'] as const,
  driverSeason: (driver: number, layout: number | null, cues: number) =>
    ['season', 'driver', driver, layout, cues] as const,
  schoolSeason: (asked: object) => ['season', 'school', asked] as const,
  dayCourse: (event: number | null) => ['season', 'day', event] as const,
  calendar: () => ['season', 'calendar'] as const,
  anySeason: () => ['season'] as const,
  found: (words: string) => ['found', words] as const,
  staves: () => ['staves'] as const,
  anyCard: () => ['card'] as const,
  laps: (asked: object) => ['laps', asked] as const,
  stints: (asked: object) => ['laps', 'stints', asked] as const,
  watch: (asked: object) => ['laps', 'watch', asked] as const,
  allLaps: (asked: object) => ['laps', 'all', asked] as const,
  anyLaps: () => ['laps'] as const,
  circuits: () => ['circuits'] as const,
  ground: (layout: number, day: number | null) => ['ground', layout, day] as const,
  anyGround: () => ['ground'] as const,
  preview: (layout: number, asked: object) => ['circuit-preview', layout, asked] as const,
  previewFindings: (layout: number, asked: object) => ['circuit-findings', layout, asked] as const,
  choices: (event: number, everywhere: boolean) => ['choices', event, everywhere] as const,
};
