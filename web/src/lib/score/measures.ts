// Measures shared by the rows of the score, in pixels.

export interface Measures {
  /** width of the names in the left margin */
  names: number;
  /** of the axis beside them */
  axis: number;
  /** of the values at the right */
  values: number;
  /** height of a strip's row */
  row: number;
}

/** On a narrow screen the margins give way to the curves. */
export function measuresFor(width: number): Measures {
  if (width < 560) return { names: 58, axis: 34, values: 46, row: 28 };
  if (width < 760) return { names: 88, axis: 40, values: 78, row: 24 };
  return { names: 118, axis: 44, values: 104, row: 24 };
}

export const LOWEST = 40;
const HEIGHTS: Record<string, number> = { delta: 104, speed: 164 };

export function staveHeight(stave: string, heights: Record<string, number>): number {
  return heights[stave] ?? HEIGHTS[stave.split('\n')[0] ?? ''] ?? 86;
}
