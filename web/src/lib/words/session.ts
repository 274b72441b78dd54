// Texts of signing in, of the first start, of the account and of the team.

export const signInTexts = {
  title: 'Sign in',
  email: 'E-mail address',
  password: 'Password',
  go: 'Sign in',
  busy: 'Signing in …',
  lead: 'Laps of several drivers, place by place: where time is lost, and why.',
  nobodyYet:
    'Nobody has a team here yet. Open the address that was printed when Lauftakt was started; it leads to the first one.',
  again: 'Sign in again',
  againWhy: 'You were signed out. Nothing on this page is lost: it goes on as soon as you are back.',
  goOn: 'Sign in and go on',
};

export const personTexts = {
  name: 'Your name',
  email: 'E-mail address',
  password: 'Password',
  hint: (n: number) => `At least ${n} characters; a few words will do.`,
  longEnough: 'Long enough.',
  show: 'Show it',
};

export const firstTexts = {
  title: 'Begin',
  lead: 'This Lauftakt is new. Make your team, or look around first.',
  own: 'Your own team',
  team: 'Name of the team',
  teamExample: 'for example your school',
  make: 'Make the team and hand in logs',
  making: 'One moment …',
  demo: 'Look around first',
  demoWhy:
    'The made-up driving school at Ellerholm Park has six drivers and a day of laps. It is a team of its own here, and one click removes it later. This page stays open for your own team.',
  lookAround: 'Look around with the demo school',
  closed: 'This page was used already',
  closedWhy:
    'The first team of this Lauftakt was made, or the address is that of another start. Sign in, or open the address that was printed when Lauftakt was started.',
};

export const joinTexts = {
  title: 'Come into the team',
  into: (team: string) => `Come into ${team}`,
  as: {
    owner: 'You will own the team together with others.',
    coach: 'You will see and change everything, as a coach.',
    assistant: 'You will see and compare everything, and write notes, as an assistant.',
  } as Record<string, string>,
  until: (day: string) => `The invitation can be used once, until ${day}.`,
  go: 'Come in',
};

export const accountTexts = {
  open: 'Account and preferences',
  page: 'Account and team',
  title: 'Account',
  units: 'Units',
  metric: 'Metric',
  imperial: 'Imperial',
  metricLong: 'km/h, m, bar',
  imperialLong: 'mph, ft, psi',
  dates: 'Dates',
  dateLanguages: [
    ['en-GB', '16 May 2026'],
    ['en-US', 'May 16, 2026'],
    ['de-DE', '16. Mai 2026'],
    ['fr-FR', '16 mai 2026'],
    ['es-ES', '16 de mayo de 2026'],
    ['it-IT', '16 maggio 2026'],
    ['nl-NL', '16 mei 2026'],
    ['browser', 'As the browser does'],
  ] as const,
  look: 'Look',
  system: 'System',
  light: 'Light',
  dark: 'Dark',
  shortcuts: 'Single-key shortcuts on the desk',
  leave: 'Sign out',
  me: 'You',
  name: 'Name',
  keep: 'Keep',
  kept: 'Kept.',
  passwordForEmail: 'Password, to change the address',
  changePassword: 'Change the password',
  presentPassword: 'Present password',
  newPassword: 'New password',
  passwordChanged: 'The password was changed; other devices were signed out.',
  signIns: 'Signed in on',
  here: 'this device',
  since: (at: string) => `last used ${at}`,
  end: 'Sign out there',
  ended: (device: string) => `${device} was signed out.`,
  endOthers: 'Sign out everywhere else',
  endedOthers: 'Every other device was signed out.',
  team: 'Team',
  teamName: 'Name of the team',
  people: 'People',
  roles: {
    owner: 'Owner',
    coach: 'Coach',
    assistant: 'Assistant',
    driver: 'Driver',
  } as Record<string, string>,
  roleOf: (name: string) => `Role of ${name}`,
  rolesWhy:
    'Owners decide who belongs to the team. Coaches see and change everything else. Assistants see everything and write notes.',
  never: 'not yet signed in',
  takeOut: 'Remove',
  takeOutWho: (name: string) => `Remove ${name}`,
  takeOutSure: (name: string) =>
    `${name} can no longer sign in. Notes and changes they made stay, as done by somebody who left.`,
  invite: 'Invite somebody',
  inviteAs: 'as',
  inviteFor: 'for',
  days: (n: number) => (n === 1 ? '1 day' : `${n} days`),
  makeLink: 'Make an invitation',
  invitation: (role: string, until: string) => `${role}, until ${until}`,
  copy: 'Copy the link',
  copied: 'The link is in the clipboard.',
  revoke: 'Take back',
  revoked: 'The invitation was taken back.',
  loopback:
    'Only this machine can open the link. Start Lauftakt with --lan so that phones and other machines can.',
  qr: 'The link as a QR code',
  has: 'What the team has',
  hasWhy: 'What you remove is hidden at once and can be brought back for 30 days.',
  drivers: 'Drivers',
  cars: 'Cars',
  circuits: 'Circuits',
  nothing: 'none yet',
  join: 'Is the same as …',
  joinWhich: (name: string) => `${name} is the same as`,
  joinDo: 'Join them',
  joinedDriver: (gone: string, kept: string) => `${gone} is ${kept} now.`,
  joinedCircuit: (kept: string, runs: number) =>
    `One circuit: ${kept}. ${runs === 1 ? '1 run is' : `${runs} runs are`} computed anew on it.`,
  demo: 'The demo school',
  demoWhy: 'The made-up school is a team of its own. Signing in again brings you back to yours.',
  lookAround: 'Look around with the demo school',
  removeDemo: 'Remove the demo school',
  demoRemoved: 'The demo school was removed.',
  removeTeam: 'Remove the team',
  removeTeamWhy: (name: string) =>
    `Everything of ${name} goes with it: drivers, runs, notes. For 30 days whoever runs this Lauftakt can bring it back by the command “lauftakt team”.`,
  typeName: (name: string) => `Type “${name}” to remove it`,
};

export const removalTexts = {
  remove: 'Remove',
  removeWhat: (name: string) => `Remove ${name}`,
  title: (name: string) => `Remove ${name}?`,
  along: 'This goes with it:',
  runs: (runs: number, laps: number) =>
    `${runs === 1 ? '1 run' : `${runs} runs`} with ${laps === 1 ? '1 lap' : `${laps} laps`}`,
  events: (names: string[]) => `the day${names.length > 1 ? 's' : ''} ${names.join(', ')}`,
  drivers: (names: string[]) => `the driver${names.length > 1 ? 's' : ''} ${names.join(', ')}`,
  cars: (names: string[]) => `the car${names.length > 1 ? 's' : ''} ${names.join(', ')}`,
  circuits: (names: string[]) => `the circuit ${names.join(', ')}`,
  links: (n: number) => (n === 1 ? 'the personal link' : `${n} personal links`),
  nothing: 'Nothing else goes with it.',
  back: 'It is hidden at once, can be brought back for 30 days, and is gone for good then.',
  removed: (name: string) => `${name} was removed.`,
  forget: 'They wish to be forgotten',
  forgetWhat: (runs: number, files: number, accounts: number, actions: number) =>
    `${runs === 1 ? '1 run goes' : `${runs} runs go`} for good with every log, lap and note, ${
      files === 1 ? '1 file' : `${files} files`
    }${accounts ? ', their account' : ''}; ${actions === 1 ? '1 entry' : `${actions} entries`} of the log of what was done no longer say what.`,
  forgetStays:
    'There is no undo. What others wrote in their own notes stays; you are told how many name them. Backups made before still hold them until they run out.',
  forgetType: (name: string) => `Type “${name}” to forget them`,
  forgetDo: 'Forget them for good',
  forgotten: 'The driver was forgotten; nothing names them any more.',
  forgottenBut: (n: number) =>
    `The driver was forgotten. ${n === 1 ? '1 note of others still names' : `${n} notes of others still name`} them.`,
};

export const stepsTexts = {
  title: 'The first comparison',
  steps: [
    ['Hand in logs', 'Drop the files of two runs or more on the left.'],
    ['Name the circuit', 'Its shape appears beside the first log; say what the paddock calls it.'],
    ['Compare', 'The desk shows where each driver loses time.'],
  ] as const,
  done: 'done',
  next: 'next',
  go: 'See the first comparison',
};
