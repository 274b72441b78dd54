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
  /** how many losses stand side by side at its end */
  columns: number;
}

/** A loss beside another one. */
export const COLUMN = 44;
/** Curves are never given less, however many losses there are. */
const LEAST_CURVES = 600;

/**
 * On a narrow screen the margins give way to the curves; on a wide one the losses of all sectors stand side by side.
 *
 * @param parts of how many parts there are losses, the whole lap among them
 */
export function measuresFor(width: number, parts = 1): Measures {
  if (width < 560) return { names: 58, axis: 34, values: 46, row: 28, columns: 1 };
  if (width < 760) return { names: 88, axis: 40, values: 78, row: 24, columns: 1 };
  const side = 36 + COLUMN * parts;
  const values = parts > 1 && width - 118 - 44 - side >= LEAST_CURVES ? side : 104;
  return {
    names: 118,
    axis: 44,
    values: Math.max(values, 104),
    row: 24,
    columns: values === side ? parts : 1,
  };
}

export const LOWEST = 40;
const HEIGHTS: Record<string, number> = { delta: 104, speed: 164 };

export function staveHeight(stave: string, heights: Record<string, number>): number {
  return heights[stave] ?? HEIGHTS[stave.split('\n')[0] ?? ''] ?? 86;
}
