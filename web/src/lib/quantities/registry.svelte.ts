// Channels as the core describes them: label, quantity, how they are drawn. Asked for once; it changes with the program.
import { api, done, type Registry } from '$lib/api/client';
import { present } from '$lib/session/present.svelte';
import { texts } from '$lib/words';
import { loggersUnit, unitOfQuantity, type Unit } from './units';

/** the sign before the name of a channel that stands for no role */
export const NAMELESS = '~';

type Entry = Registry['channels'][number];

class ChannelRegistry {
  /** figures of a lap in a corner or stretch, in the registry's order */
  figures = $state.raw<Registry['figures']>([]);
  private entries = $state.raw<Record<string, Entry>>({});
  /** units of channels without a role, as their loggers wrote them */
  private written = $state.raw<Record<string, string>>({});

  async load(): Promise<void> {
    const found = await done(api.GET('/api/registry'));
    this.figures = found.figures;
    this.entries = Object.fromEntries(found.channels.map((entry) => [entry.code, entry]));
  }

  note(nameless: { code: string; unit: string }[]): void {
    this.written = Object.fromEntries(nameless.map((channel) => [channel.code, channel.unit]));
  }

  /** Every channel that can be drawn, in the registry's order. */
  get codes(): string[] {
    return Object.keys(this.entries);
  }

  label(code: string): string {
    if (code.startsWith(NAMELESS)) return code.slice(1);
    const label = this.entries[code]?.label ?? code;
    return label.charAt(0).toUpperCase() + label.slice(1);
  }

  unit(code: string): Unit {
    if (code.startsWith(NAMELESS)) return loggersUnit(this.written[code] ?? '');
    return unitOfQuantity(this.entries[code]?.quantity ?? 'plain', present.units);
  }

  /** whether its values are differences to the reference, which carry a sign */
  isDifference(code: string): boolean {
    return ['delta', 'offset_gap', 'loss_rate'].includes(code);
  }

  /** what has to be known to read it, if anything */
  remark(code: string): string {
    return texts.channels.remarks[code] ?? '';
  }

  /** whether values of two runs can be held against each other by their height */
  comparesHeights(code: string): boolean {
    return code !== 'brake_pedal' && !code.startsWith(NAMELESS);
  }

  /** whether the axis always holds 0 */
  fromZero(code: string): boolean {
    return ['zero', 'signed'].includes(this.entries[code]?.drawn ?? 'free');
  }

  /** whether values hold until the next one */
  stepped(code: string): boolean {
    return this.entries[code]?.drawn === 'steps';
  }
}

export const registry = new ChannelRegistry();
