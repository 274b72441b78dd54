// The address of the numbers of what lies on the desk.
import type { Desk } from '$lib/desk/desk.svelte';

export function numbersOf(desk: Desk, format: 'csv' | 'json'): string {
  const { lineUp, settled } = desk;
  const query = new URLSearchParams({
    laps: desk.shown.map((lap) => lap.key).join(','),
    reference: lineUp?.reference ?? '',
    version: String(lineUp?.version ?? 1),
    roles: desk.roles.map(encodeURIComponent).join(','),
    format,
  });
  if (settled) {
    query.set('from_m', String(settled.from));
    query.set('to_m', String(settled.to));
  }
  return `/api/desk/numbers?${query}`;
}
