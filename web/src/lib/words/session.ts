// Texts of signing in and of the account.

export const signInTexts = {
  title: 'Sign in',
  email: 'Address',
  password: 'Password',
  go: 'Sign in',
  busy: 'Signing in …',
  lead: 'Laps of several drivers, place by place: where time is lost, and why.',
};

export const accountTexts = {
  open: 'Account and preferences',
  units: 'Units',
  metric: 'Metric',
  imperial: 'Imperial',
  look: 'Look',
  system: 'System',
  light: 'Light',
  dark: 'Dark',
  shortcuts: 'Single-key shortcuts on the desk',
  leave: 'Sign out',
};
