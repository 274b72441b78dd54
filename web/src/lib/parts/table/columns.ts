// What a table's columns are, how they sort and filter, and how its rows are copied: one way for all lists.

export interface TableColumn<T> {
  id: string;
  header: string;
  /** the unit, once, at the head */
  unit?: string;
  title?: string;
  numeric?: boolean;
  /** its cells are the heads of the rows */
  heads?: boolean;
  /** stays in sight however far the table is moved sideways */
  pinned?: 'left' | 'right';
  /** by which the column sorts; null comes last */
  value: (row: T) => number | string | null;
  /** what is read in the cell, copied, and looked for */
  text: (row: T) => string;
  /** classes of the cell */
  look?: (row: T) => string;
}

/** Which column sorts (a minus before it: from the largest), and what is looked for in each. */
export interface TableView {
  sort: string | null;
  find: Record<string, string>;
}

export const asIs: TableView = { sort: null, find: {} };

/** A table's view as part of an address, and back. */
export function writeView(view: TableView): string {
  const parts = Object.entries(view.find)
    .filter(([, text]) => text !== '')
    .map(([id, text]) => `${encodeURIComponent(id)}:${encodeURIComponent(text)}`);
  return [view.sort ?? '', ...parts].join(';').replace(/^;?$/, '');
}

export function readView(text: string | null, known: string[]): TableView {
  const [sort = '', ...parts] = (text ?? '').split(';');
  const find: Record<string, string> = {};
  for (const part of parts) {
    const [id, value] = part.split(':').map((piece) => {
      try {
        return decodeURIComponent(piece);
      } catch {
        return '';
      }
    });
    if (id && value && known.includes(id)) find[id] = value;
  }
  return { sort: known.includes(sort.replace(/^-/, '')) ? sort : null, find };
}

/** A figure as people write it: 1:54.22, 1,042.5, −3, 87 %; null where it is none. */
export function numberIn(text: string): number | null {
  const time = /^\s*(?:(\d+):)?(\d{1,2}):(\d{2}(?:\.\d+)?)\s*$/.exec(text);
  if (time) return Number(time[1] ?? 0) * 3600 + Number(time[2]) * 60 + Number(time[3]);
  const found = /^\s*([+−-]?)\s*(\d+(?:\.\d+)?)/.exec(
    text.replace(/,(?=\d{3}(\D|$))/g, '').replace(',', '.'),
  );
  if (!found) return null;
  return Number(found[2]) * (found[1] === '-' || found[1] === '−' ? -1 : 1);
}

/** Whether a cell is what was looked for: part of its text, or of a numeric column also "<1:55", ">90", "80 to 95". */
export function matches(text: string, wanted: string, numeric: boolean): boolean {
  const asked = wanted.trim();
  if (asked === '') return true;
  if (numeric) {
    const own = numberIn(text);
    const limit = /^([<>≤≥]=?)\s*(.+)$/.exec(asked);
    if (limit) {
      const bound = numberIn(limit[2] ?? '');
      if (bound === null) return true;
      if (own === null) return false;
      const equal = (limit[1] ?? '').length > 1 || /[≤≥]/.test(limit[1] ?? '');
      if (equal && own === bound) return true;
      return /[<≤]/.test(limit[1] ?? '') ? own < bound : own > bound;
    }
    const range = /^(.+?)\s*(?:to|–|\.\.)\s*(.+)$/.exec(asked);
    const [low, high] = range ? [numberIn(range[1] ?? ''), numberIn(range[2] ?? '')] : [null, null];
    if (low !== null && high !== null) return own !== null && own >= low && own <= high;
  }
  return text.toLocaleLowerCase().includes(asked.toLocaleLowerCase());
}

/** Numbers by size, words as people order them, what is missing last whichever way it goes. */
export function compare(a: number | string | null, b: number | string | null, down: boolean): number {
  if (a === null || b === null) return a === b ? 0 : a === null ? 1 : -1;
  const sign = down ? -1 : 1;
  if (typeof a === 'number' && typeof b === 'number') return sign * (a - b);
  return sign * String(a).localeCompare(String(b), undefined, { numeric: true });
}

/** Rows as text for a spreadsheet, with the head. */
export function asText<T>(columns: TableColumn<T>[], rows: T[]): string {
  const plain = (text: string) => text.replace(/[\t\r\n]+/g, ' ');
  const head = columns.map((own) => plain(own.unit ? `${own.header} [${own.unit}]` : own.header));
  // What a spreadsheet would take for a formula is text; a real minus becomes one that it can read.
  const cell = (text: string) => {
    const own = plain(text).replace(/^−(?=\d)/, '-');
    return /^[=+@\t]|^-(?!\d)/.test(own) && numberIn(own) === null ? `'${own}` : own;
  };
  return [head, ...rows.map((row) => columns.map((own) => cell(own.text(row))))]
    .map((line) => line.join('\t'))
    .join('\n');
}
