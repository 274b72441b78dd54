// Sentences of the core: its words, with figures in the reader's units.
import type { SaidPart } from '$lib/api/client';
import { figure, unitOfQuantity, type UnitSystem } from '$lib/quantities/units';

export interface Piece {
  text: string;
  /** whether it is a figure */
  figure: boolean;
}

/** The pieces of a sentence, ready to be shown. */
export function pieces(parts: readonly SaidPart[], system: UnitSystem): Piece[] {
  return parts.map((part) => {
    if (part.value === null || part.value === undefined) return { text: part.text ?? '', figure: false };
    const unit = unitOfQuantity(part.quantity ?? 'plain', system);
    const label = part.unit === false || unit.label === '' ? '' : `\u00a0${unit.label}`;
    return { text: figure(part.value, unit) + label, figure: true };
  });
}

/** A sentence as plain text. */
export function say(parts: readonly SaidPart[], system: UnitSystem): string {
  return pieces(parts, system)
    .map((piece) => piece.text)
    .join('');
}
