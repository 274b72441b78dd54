// Used while the pages are made: each names what it needs, and the fonts in which it is written.
import type { Handle } from '@sveltejs/kit';

const WRITTEN_IN = /(instrument-sans-latin-standard|martian-mono-latin-wdth)-normal/;

export const handle: Handle = ({ event, resolve }) =>
  resolve(event, {
    preload: ({ type, path }) =>
      type === 'js' || type === 'css' || (type === 'font' && WRITTEN_IN.test(path)),
  });
