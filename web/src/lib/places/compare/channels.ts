// Channels that a picture can be of: those that any lap on show has, as the registry orders them.
import type { Desk } from '$lib/desk/desk.svelte';
import { unique } from '$lib/desk/order';
import { registry } from '$lib/quantities/registry.svelte';

/** @param differences whether those to the reference are among them */
export function channelsOf(desk: Desk, differences: boolean): string[] {
  const there = unique(desk.shown.flatMap((lap) => lap.roles));
  const known = registry.codes.filter(
    (code) => there.includes(code) || (differences && registry.isDifference(code)),
  );
  return unique([...known, ...there.filter((code) => !registry.isDifference(code))]);
}
