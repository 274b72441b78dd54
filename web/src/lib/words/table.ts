// Texts of the one table for lists.
export const tableTexts = {
  empty: 'Nothing fits what is looked for.',
  rows: (count: number) => (count === 1 ? 'one row' : `${count} rows`),
  of: (shown: number, all: number) => `${shown} of ${all} rows`,
  filter: 'Filter',
  noFilter: 'Without filter',
  copy: 'Copy',
  copied: (rows: number) => (rows === 1 ? 'One row is copied.' : `${rows} rows are copied.`),
  findIn: (column: string) => `Look for in ${column}`,
  choose: 'Choose this row',
  chooseAll: 'Choose all rows',
};
