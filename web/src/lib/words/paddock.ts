// Texts of the paddock.

export const paddockTexts = {
  title: 'Paddock',
  event: 'Event',
  empty: 'No runs have been handed in yet.',
  emptyNext: 'Hand in the first logs',
  driver: 'Driver',
  run: 'Run',
  laps: 'Laps',
  counting: (counting: number, all: number) => `${counting} of ${all} count`,
  best: 'Best lap',
  gap: 'To the reference',
  theoretical: 'Theoretical best',
  compare: 'Compare',
  compareAll: 'Compare all drivers',
  compareOne: (driver: string) => `Compare ${driver} with the others`,
  reference: 'ref.',
  level: 'level',
  levelMeans: 'Closer than the doubt of both laps: nobody can say who was faster.',
  noTimed: 'no timed lap',
  kinds: { practice: 'Practice', qualifying: 'Qualifying', race: 'Race', test: 'Test' } as Record<
    string,
    string
  >,
  runs: (n: number) => (n === 1 ? '1 run' : `${n} runs`),
  deliveries: 'Hand-in',
  deliveryStates: {
    in: 'handed in',
    busy: 'on its way',
    trouble: 'not taken',
    missing: 'nothing yet',
  } as Record<string, string>,
  delivered: (there: number, all: number) => `${there} of ${all} drivers have handed in`,
  runsAndLaps: (runs: number, laps: number) =>
    `${runs === 1 ? '1 run' : `${runs} runs`}, ${laps === 1 ? '1 lap' : `${laps} laps`}`,
  hasLink: 'link is out',
  sendLink: 'Send a link',
  saveDay: 'Save the day as',
  older: 'Older days',
  runOf: (driver: string, clock: string) => `the run of ${driver}${clock ? ` at ${clock}` : ''}`,
};
