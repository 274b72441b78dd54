// Texts of what a day is measured against.

export const dayReferenceTexts = {
  against: 'Measured against',
  change: 'Change',
  lap: (driver: string, lap: number, time: string) => `${driver}, lap ${lap}, ${time}`,
  lapOf: (driver: string, lap: number, time: string, day: string) =>
    `${driver}, lap ${lap} of ${day}, ${time}`,
  inConditions: (conditions: string, lap: string) => `${lap} ${conditions}`,
  conditions: { dry: 'in the dry', damp: 'in the damp', wet: 'in the wet' },
  title: 'Measure this day against',
  hint: 'It holds on every screen and sheet of this day, for runs in the same conditions as the lap.',
  byRule: 'The usual reference',
  byRuleMeans: 'the best lap of an instructor in a comparable car, else the quickest lap of the day',
  ownBests: 'Everybody’s own best',
  ownBestsMeans: 'each driver against their own quickest lap and passages',
  bestsOfDay: 'A best lap of this day',
  bestsEverywhere: 'A best lap on this circuit',
  otherDays: 'Also laps of other days',
  instructor: 'reference only',
  more: 'More laps',
  changed: 'The day is measured against something else now.',
  fitsNone: 'No run of this day was driven in the conditions of that lap, so nothing is measured against it.',
};
