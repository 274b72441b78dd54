// What every canvas on the page draws, so that it can be drawn once more on a sheet that is taken away.
type Draw = (ctx: CanvasRenderingContext2D, width: number, height: number) => void;

const drawings = new WeakMap<HTMLCanvasElement, { draw: Draw; width: number; height: number }>();

export const noteDrawing = (canvas: HTMLCanvasElement, draw: Draw, width: number, height: number): void =>
  void drawings.set(canvas, { draw, width, height });

export const drawingOf = (canvas: HTMLCanvasElement) => drawings.get(canvas);
