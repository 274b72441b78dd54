// Measures shared by the rows of the score, in pixels.

/** width of the names in the left margin, of the axis beside them, and of the values at the right */
export const NAMES = 118;
export const AXIS = 44;
export const VALUES = 92;
/** height of a strip's row */
export const ROW = 22;

const HEIGHTS: Record<string, number> = { delta: 104, speed: 164 };

export function staveHeight(role: string): number {
  return HEIGHTS[role] ?? 86;
}
