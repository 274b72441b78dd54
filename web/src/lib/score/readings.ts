// Values of a stave's lines in the right margin: at the cursor, sorted, with what changed since where one measures from;
// without a cursor the names stand where the lines end.
import type { DeskLap } from '$lib/api/client';
import { called } from '$lib/desk/called';
import { valueAt } from '$lib/desk/curves';
import { nameInk } from '$lib/draw/inks';
import { spread } from '$lib/draw/range';
import type { Line } from '$lib/score/Stave.svelte';
import { figure, signed, type Unit } from '$lib/quantities/units';

export interface Reading {
  key: string;
  name: string;
  nth: string;
  colour: string;
  text: string;
  /** since the place that one measures from */
  change: string;
  chosen: boolean;
  /** height in pixels where it stands at its line's end; null in the list */
  top: number | null;
}

const LINE = 14;
/** how far from the edges a stave is drawn */
const ROOM = 7;

interface Asked {
  s: Float64Array;
  lines: Line[];
  laps: DeskLap[];
  numbered: boolean;
  cursor: number | null;
  until: number | null;
  /** the last place on show */
  end: number;
  height: number;
  unit: Unit;
  /** whether values are differences */
  signs: boolean;
  dark: boolean;
}

export function readingsOf(asked: Asked): Reading[] {
  const { cursor, end } = asked;
  return cursor === null ? atEnds(asked, end) : atCursor(asked, cursor);
}

function reading(asked: Asked, line: Line, place: number): Reading & { value: number } {
  const { s, laps, numbered, unit, signs, until, dark } = asked;
  const lap = laps.find((item) => item.key === line.key);
  const who = lap ? called(lap) : (line.called ?? { name: '', nth: '' });
  const value = valueAt(s, line.values, place);
  const before = until === null ? NaN : valueAt(s, line.values, until);
  return {
    key: line.key,
    name: who.name,
    nth: line.called || (lap && (numbered || lap.made)) ? who.nth : '',
    // Names are never paler than can be read, whatever their line's ink.
    colour: line.called ? line.colour : line.reference || !lap ? 'var(--muted)' : nameInk(lap, dark),
    value,
    text: signs ? signed(value, unit) : figure(value, unit),
    change:
      Number.isFinite(before) && Number.isFinite(value) ? signed(value - before, { ...unit, offset: 0 }) : '',
    chosen: line.chosen,
    top: null,
  };
}

/** Highest first; of too many the chosen lap's and the reference's are never the ones left out. */
function atCursor(asked: Asked, place: number): Reading[] {
  const fits = Math.floor(asked.height / LINE);
  const kept = new Set(asked.lines.filter((line) => line.chosen || line.reference).map((line) => line.key));
  return asked.lines
    .map((line) => reading(asked, line, place))
    .sort((a, b) => b.value - a.value)
    .filter((item, i, all) => i < fits - (all.length > fits ? 2 : 0) || kept.has(item.key));
}

function atEnds(asked: Asked, place: number): Reading[] {
  const { lines, height } = asked;
  if (lines.length > Math.floor(height / (LINE - 2))) return [];
  const found = lines.map((line) => reading(asked, line, place));
  const at = (line: Line, value: number): number => {
    const [low, high] = line.range ?? [0, 1];
    const share = Number.isFinite(value) ? (value - low) / (high - low) : 0;
    return height - ROOM - share * (height - 2 * ROOM) - LINE / 2;
  };
  const tops = spread(
    lines.map((line, i) => at(line, found[i]?.value ?? 0)),
    LINE - 2,
    height - LINE + 2,
  );
  return found.map((item, i) => ({ ...item, text: '', top: tops[i] ?? 0 }));
}
