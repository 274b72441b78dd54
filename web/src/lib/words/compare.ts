// Texts of the desk.

/** What a cause rests on, ready to be said: gaps and values with their units. */
export interface Fact {
  figure: string;
  distance: string;
  width: string;
  speed: string;
  own: string;
  theirs: string;
}

export const compareTexts = {
  title: 'Compare',
  empty: 'There is nothing to compare yet.',
  emptyNext: 'Hand in logs',
  reference: 'ref.',
  measuredOn: (version: number, present: number) =>
    `Measured on version ${version} of the circuit; the present one is version ${present}.`,
  measureNow: (present: number) => `Show it on version ${present}`,
  renewing: 'Newer numbers of some of these laps are being computed. They appear here by themselves.',
  moreRuns: 'Show further runs',
  lap: 'Lap',
  lapOf: (driver: string, n: number) => `${driver}, lap ${n}`,
  delta: 'Delta',
  addStave: 'Add a stave',
  removeStave: (name: string) => `Take ${name} away`,
  fold: (name: string) => `Fold ${name}`,
  unfold: (name: string) => `Unfold ${name}`,
  laps: 'Laps',
  changeLaps: 'Change laps',
  chooseLaps: 'Laps on the desk',
  chooseLapsHint: 'Tick the laps to lay on the desk; the circle makes a lap the reference.',
  makeReference: (lap: string) => `Make ${lap} the reference`,
  take: (lap: string) => `Lay ${lap} on the desk`,
  onlyBest: 'Best lap of each driver',
  tooMany: (most: number) => `At most ${most} laps fit on the desk.`,
  done: 'Done',
  wholeLap: 'Whole lap',
  back: 'Whole lap',
  open: 'Zoom in',
  passage: (n: string, corners: string) => `Passage ${n}${corners ? `, ${corners}` : ''}`,
  stretch: 'Stretch',
  fromTo: (from: string, to: string, unit: string) => `${from} to ${to} ${unit}`,
  startsAgain: 'The delta starts with 0 here.',
  losesOverall: (driver: string, lap: number, time: string, u: string, reference: string) =>
    `${driver} is ${time} s (± ${u}) behind ${reference} in lap ${lap}.`,
  gainsOverall: (driver: string, lap: number, time: string, u: string, reference: string) =>
    `${driver} is ${time} s (± ${u}) ahead of ${reference} in lap ${lap}.`,
  isReference: (driver: string, lap: number) =>
    `${driver}, lap ${lap}, is the reference: the others are measured against it.`,
  itsLap: (n: number) => `lap ${n}`,
  chooseStretch: 'Drag along the score to study a stretch, or go from passage to passage with , and .',
  gives: (driver: string, loss: string, u: string) => `${driver} gives away ${loss} s (± ${u}) here`,
  wins: (driver: string, gain: string, u: string) => `${driver} gains ${gain} s (± ${u}) here`,
  level: (driver: string, u: string) => `${driver} is level here (within ± ${u} s)`,
  inLaps: (n: number, of: number) => `and loses in ${n} of ${of} laps`,
  causes: {
    early_brake: (f) => `brakes ${f.distance} earlier`,
    soft_brake: (f) => `brakes less hard (${f.own} instead of ${f.theirs} on average)`,
    slow_brake_rise: (f) => `takes ${f.own} to build up the brake instead of ${f.theirs}`,
    early_release: (f) => `lets the brake off ${f.distance} earlier`,
    late_release: (f) => `stays on the brake ${f.distance} longer`,
    interrupted_brake: () => 'lets the brake off and applies it again',
    braked_too_late: (f) => `brakes ${f.distance} later and pays for it afterwards`,
    over_slow: (f) => `is ${f.speed} slower at the slowest point`,
    coasting: (f) => `rolls for ${f.own} without brake or throttle instead of ${f.theirs}`,
    late_throttle: (f) =>
      f.figure === 'exit_throttle'
        ? 'opens the throttle less on the way out'
        : `is on the throttle ${f.distance} later`,
    hesitant_throttle: () => 'picks the throttle up, lifts and picks it up again',
    needless_lift: () => 'lifts where the other stays flat',
    wrong_gear: (f) => `takes gear ${f.own} instead of ${f.theirs}`,
    early_turn_in: (f) => `turns in ${f.distance} earlier`,
    late_turn_in: (f) => `turns in ${f.distance} later`,
    unused_width: (f) => `leaves ${f.width} of the road unused`,
    slide_corrected: () => 'corrects slides',
    locked_wheel: () => 'locks a wheel',
    car_or_conditions: () => 'has a slower car or slower conditions here',
  } as Record<string, (fact: Fact) => string>,
  unclear: 'The figures do not tell why.',
  habit: (loss: string, u: string, laps: number, of: number) =>
    `Over all laps the habit costs ${loss} s (± ${u}), seen in ${laps} of ${of} laps.`,
  than: (reference: string, driver: string, facts: string) =>
    `Compared with ${reference}, ${driver} ${facts}.`,
  bestLap: (lap: number, loss: string) => `In lap ${lap} only ${loss} s was lost.`,
  bestLapGain: (lap: number, gain: string) => `In lap ${lap} there was a gain of ${gain} s.`,
  cutAtLine: 'Only up to the start line: the next lap is not a timed one.',
  inferred: 'Braking is taken from deceleration: no brake was logged.',
  columns: { lap: 'Lap', lost: 'lost, s', brakes: 'brakes, ', slowest: 'slowest, ', full: 'full thr., ' },
  sector: (n: number) => `Sector ${n}`,
  lapTime: 'lap',
  losing: 'losing',
  gaining: 'gaining',
  per100: 's per 100 m',
  noChannel: (name: string) => `${name} was not logged in any of these laps.`,
  missing: (name: string, drivers: string) => `${name} was not logged by ${drivers}.`,
  keys: 'Keys',
  keysTitle: 'Keys on the desk',
  map: 'Map with the loss of the chosen lap',
  score: 'Score: curves of the line-up along the circuit',
  cursorAt: (place: string) => `Cursor at ${place}`,
};

export const keyTexts = {
  previousPassage: 'previous passage',
  nextPassage: 'next passage',
  nextLap: 'next lap of the line-up',
  previousLap: 'previous lap of the line-up',
  open: 'zoom in on the marked stretch',
  out: 'one step out',
  reference: 'make the chosen lap the reference',
  add: 'change the laps on the desk',
  cursor: 'move the cursor 1 m (shift: 10 m)',
  wheel: 'zoom at the pointer',
  drag: 'mark a stretch',
  pan: 'move along when zoomed in',
  whole: 'back to the whole lap',
  help: 'this list',
  off: 'The single keys can be switched off under the account menu.',
  ctrlScroll: 'Ctrl + scroll',
  dragging: 'Drag',
  shiftDrag: 'Shift + drag',
  doubleClick: 'Double click',
};
