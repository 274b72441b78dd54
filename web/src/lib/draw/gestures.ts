// Gestures on the score: a click sets the cursor, a drag marks a stretch, shift and drag pans, Ctrl and scroll zooms.

export interface Surface {
  /** the place in metres under a pointer's x */
  placeAt(clientX: number): number;
  /** metres for each pixel */
  metres(): number;
  cursor(place: number): void;
  mark(from: number, to: number): void;
  /** the stretch that is being marked has come to rest, or was given up */
  rest(): void;
  pan(metres: number): void;
  zoom(place: number, factor: number): void;
}

interface Drag {
  from: number;
  x: number;
  moved: boolean;
  pan: boolean;
}

// A hand that only clicks moves by less.
const STILL_PX = 4;

export class Gestures {
  private drag: Drag | null = null;

  constructor(private readonly surface: Surface) {}

  get panning(): boolean {
    return this.drag?.pan ?? false;
  }

  down = (event: PointerEvent): void => {
    if (event.button !== 0) return;
    (event.currentTarget as HTMLElement).setPointerCapture?.(event.pointerId);
    const from = this.surface.placeAt(event.clientX);
    this.drag = { from, moved: false, pan: event.shiftKey, x: event.clientX };
  };

  move = (event: PointerEvent): void => {
    const { drag, surface } = this;
    if (drag?.pan) {
      surface.pan(-(event.clientX - drag.x) * surface.metres());
      drag.x = event.clientX;
      return;
    }
    const place = surface.placeAt(event.clientX);
    surface.cursor(place);
    if (!drag) return;
    if (Math.abs(event.clientX - drag.x) > STILL_PX) drag.moved = true;
    if (drag.moved) surface.mark(drag.from, place);
  };

  up = (event: PointerEvent): void => {
    const { drag, surface } = this;
    this.drag = null;
    if (!drag || drag.pan) return;
    if (drag.moved) surface.rest();
    else surface.cursor(surface.placeAt(event.clientX));
  };

  cancel = (): void => {
    if (this.drag?.moved) this.surface.rest();
    this.drag = null;
  };

  wheel = (event: WheelEvent): void => {
    if (!event.ctrlKey) return;
    event.preventDefault();
    const step = Math.sign(event.deltaY) * Math.min(Math.abs(event.deltaY), 120) * 0.0022;
    this.surface.zoom(this.surface.placeAt(event.clientX), Math.exp(step));
  };
}
