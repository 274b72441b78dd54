// Which staves somebody wants to see: remembered for them, unless the address names others.
import { api, done, type Staves } from '$lib/api/client';
import { STAVES, type Desk } from '$lib/desk/desk.svelte';
import { unique } from '$lib/desk/order';
import { JOIN, rolesOf } from '$lib/desk/place';
import { note } from '$lib/parts/notes.svelte';

const BEHIND_MS = 800;

/** Sets that everybody has; what was not logged is left out when one is chosen. */
export const SETS: Record<string, string[]> = {
  first: STAVES,
  braking: ['delta', 'speed', 'brake_pressure', 'brake_rise', 'ahead'],
  throttle: ['delta', 'speed', 'throttle', ['gear', 'engine_speed'].join(JOIN), 'rolling'],
  line: ['delta', 'speed', 'offset', 'offset_gap', 'steering', 'curvature'],
  car: ['speed', 'engine_speed', 'grip_used', 'oil_temperature', 'water_temperature'],
};

/** What stands in where the pedal itself was not logged. */
const INSTEAD: Record<string, string[]> = {
  brake_pressure: ['brake_pedal', 'brake_inferred'],
  throttle: ['throttle_inferred'],
};

/** Staves of channels that some lap on the desk has. */
export function atHand(staves: string[], desk: Desk): string[] {
  const there = (role: string): boolean =>
    ['delta', 'loss_rate'].includes(role) || desk.laps.some((lap) => lap.roles.includes(role));
  const found = staves.flatMap((stave) => {
    const roles = rolesOf(stave).flatMap((role) => [role, ...(INSTEAD[role] ?? [])].find(there) ?? []);
    return roles.length ? [roles.join(JOIN)] : [];
  });
  return unique(found);
}

export function rememberStaves(desk: Desk, addressed: string[] | null, folded: string[]) {
  let kept = $state.raw<Staves>({ staves: null, folded: [], heights: {}, sets: [] });
  let loaded = false;
  let later: ReturnType<typeof setTimeout> | undefined;
  if (addressed?.length) desk.staves = addressed;
  desk.folded = folded;

  async function load(): Promise<void> {
    try {
      kept = await done(api.GET('/api/staves'));
    } catch {
      return; // the usual ones are shown
    }
    loaded = true;
    desk.heights = { ...kept.heights, ...desk.heights };
    // What an address names is shown as it was sent; otherwise as it was left.
    if (!addressed?.length && !folded.length) desk.folded = kept.folded ?? [];
    if (!kept.staves?.length) return;
    const unchanged = desk.staves === desk.usual || desk.staves.join() === desk.usual.join();
    desk.usual = kept.staves;
    if (unchanged && !addressed?.length) desk.staves = kept.staves;
  }
  void load();

  function keep(change: Partial<Staves>): void {
    kept = { ...kept, ...change };
    clearTimeout(later);
    later = setTimeout(() => {
      done(api.PUT('/api/staves', { body: kept })).catch((error: unknown) =>
        note(error instanceof Error ? error.message : String(error)),
      );
    }, BEHIND_MS);
  }

  // Heights and what is folded are kept as they are changed; which staves there are, where somebody chooses them.
  $effect(() => {
    const { heights } = desk;
    const { folded: own } = desk;
    if (loaded && !addressed?.length && !folded.length && own.join() !== (kept.folded ?? []).join())
      keep({ folded: [...own] });
    if (loaded && JSON.stringify(heights) !== JSON.stringify(kept.heights)) keep({ heights: { ...heights } });
  });

  return {
    get sets() {
      return kept.sets ?? [];
    },
    /** What an address says, or what is usual. */
    show(staves: string[] | null, folds: string[]): void {
      desk.staves = staves?.length ? staves : desk.usual;
      desk.folded = folds;
    },
    /** Choose staves and remember them. */
    choose(staves: string[]): void {
      desk.staves = staves;
      desk.usual = staves;
      keep({ staves });
    },
    keepSet(name: string): void {
      const others = (kept.sets ?? []).filter((set) => set.name !== name);
      keep({ sets: [...others, { name, staves: desk.staves }] });
    },
    forgetSet(name: string): void {
      keep({ sets: (kept.sets ?? []).filter((set) => set.name !== name) });
    },
  };
}

export type StaveMemory = ReturnType<typeof rememberStaves>;
