// A line that is drawn on the map point by point: an edge of the road, or the pit lane. Metres in the layout's plane.
export type Outlined = 'left' | 'right' | 'pit_lane';
export type Point = [number, number];

/** Points nearer to one another are one. */
const LEAST_M = 0.5;

export class Outline {
  what = $state<Outlined>('left');
  drawing = $state(false);
  points = $state.raw<Point[]>([]);

  begin(what: Outlined): void {
    this.what = what;
    this.drawing = true;
    this.points = [];
  }

  add(point: Point): void {
    const last = this.points.at(-1);
    if (last && Math.hypot(last[0] - point[0], last[1] - point[1]) < LEAST_M) return;
    this.points = [...this.points, point];
  }

  back(): void {
    this.points = this.points.slice(0, -1);
  }

  end(): void {
    this.drawing = false;
    this.points = [];
  }
}

/** A point beside the line of a layout: metres from the start line, and across, left positive. */
export function beside(
  layout: { s: number[]; x: number[]; y: number[] },
  closed: boolean,
  place: number,
  offset: number,
): Point | null {
  const { s, x, y } = layout;
  const n = s.length;
  if (n < 2) return null;
  let i = s.findIndex((own) => own >= place);
  if (i < 0) i = closed ? 0 : n - 1;
  const j = i > 0 ? i - 1 : closed ? n - 1 : 0;
  const k = j === i ? 1 : i;
  const [ax, ay, bx, by] = [x[j] ?? 0, y[j] ?? 0, x[k] ?? 0, y[k] ?? 0];
  const length = Math.hypot(bx - ax, by - ay) || 1;
  const along = Math.min(Math.max(place - (s[j] ?? 0), 0), length);
  const [ux, uy] = [(bx - ax) / length, (by - ay) / length];
  return [ax + ux * along - uy * offset, ay + uy * along + ux * offset];
}
