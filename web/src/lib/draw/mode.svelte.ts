// Whether the dark variant shows: canvases cannot read `light-dark()` by themselves.
import { MediaQuery } from 'svelte/reactivity';
import { present } from '$lib/session/present.svelte';

const system = new MediaQuery('(prefers-color-scheme: dark)');

export interface Inks {
  ink: string;
  muted: string;
  rule: string;
  band: string;
  accent: string;
  stretch: string;
  paper: string;
  brass: string;
}

const LIGHT: Inks = {
  ink: '#20242e', muted: '#5f5c55', rule: '#ddd7ca', band: '#dfdacb', accent: '#4a2f6b',
  stretch: 'rgb(74 47 107 / 0.1)', paper: '#faf8f3', brass: '#e7b04b',
}; // prettier-ignore
const DARK: Inks = {
  ink: '#ece7dc', muted: '#aaa597', rule: '#3a3e49', band: '#4b4f58', accent: '#c9b3e6',
  stretch: 'rgb(201 179 230 / 0.16)', paper: '#191c24', brass: '#e7b04b',
}; // prettier-ignore

export const mode = {
  get dark(): boolean {
    const look = present.me?.look ?? 'system';
    return look === 'dark' || (look === 'system' && system.current);
  },
  get inks(): Inks {
    return this.dark ? DARK : LIGHT;
  },
};
