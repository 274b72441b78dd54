// Dates as people write them, in the language that the account has chosen.
import type { Me } from '$lib/api/client';

export type DateLanguage = Me['dates'];

let language = $state<DateLanguage>('en-GB');

export function writeDatesIn(chosen: DateLanguage): void {
  language = chosen;
}

const locale = (): string | undefined => (language === 'browser' ? undefined : language);

/** An ISO date as people write it. */
export function day(iso: string): string {
  const at = Date.parse(`${iso}T00:00:00Z`);
  if (Number.isNaN(at)) return iso;
  return new Intl.DateTimeFormat(locale(), {
    day: 'numeric',
    month: 'long',
    year: 'numeric',
    timeZone: 'UTC',
  }).format(at);
}

/** A moment as people write it, by the clock of whoever looks. */
export function moment(iso: string): string {
  const at = Date.parse(iso);
  if (Number.isNaN(at)) return iso;
  return new Intl.DateTimeFormat(locale(), {
    day: 'numeric',
    month: 'short',
    hour: '2-digit',
    minute: '2-digit',
  }).format(at);
}

/** An ISO date without its year, where many stand beside each other. */
export function shortDay(iso: string): string {
  const at = Date.parse(`${iso}T00:00:00Z`);
  if (Number.isNaN(at)) return iso;
  return new Intl.DateTimeFormat(locale(), { day: 'numeric', month: 'short', timeZone: 'UTC' }).format(at);
}

/** The month of an ISO date, as a heading. */
export function monthOf(iso: string): string {
  const at = Date.parse(`${iso}T00:00:00Z`);
  if (Number.isNaN(at)) return iso;
  return new Intl.DateTimeFormat(locale(), { month: 'long', year: 'numeric', timeZone: 'UTC' }).format(at);
}
