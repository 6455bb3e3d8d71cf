import { linesOfCells } from '../lib/cells';

export interface Column {
  name: string;
  label: string;
  kind: 'text' | 'number' | 'percent' | 'date' | 'choice';
  options?: { value: string; words: string }[];
  className?: string;
}
export type Row = Record<string, string>;

/**
 * Return the rows of a file of cells: by its head where the first line names the columns, in any order and
 * with others between; else in the order of the columns.
 */
export function rowsOfFile(columns: readonly Column[], lines: readonly string[][]): Row[] {
  const named = (cell: string) => columns.find((c) => [c.name, c.label].some((n) => sameWords(n, cell)));
  const head = lines[0]?.map(named) ?? [];
  const isHeaded = head.some((c) => c !== undefined);
  const order = isHeaded ? head : columns;
  return lines.slice(isHeaded ? 1 : 0).map((cells) => {
    const row: Row = {};
    for (const [k, cell] of cells.entries()) {
      const c = order[k];
      const value = c && valueOf(c, cell);
      if (value) row[c.name] = value;
    }
    return row;
  });
}

const sameWords = (a: string, b: string) => words(a) === words(b);
const words = (text: string) => text.toLowerCase().replaceAll(/[\s_-]+/g, ' ').trim();

/** Put pasted cells at a row and a column: they take the place of what stood there; rows are added below. */
export function pastedRows(rows: readonly Row[], columns: readonly Column[], at: number, column: string, text: string): Row[] {
  const from = columns.findIndex((c) => c.name === column);
  const into = columns.slice(from);
  const came = linesOfCells(text).map((cells, n) => {
    const row: Row = { ...rows[at + n] };
    for (const [k, c] of into.entries()) {
      const cell = cells[k];
      if (cell === undefined) continue;
      const value = valueOf(c, cell);
      if (value === '') delete row[c.name];
      else row[c.name] = value;
    }
    return row;
  });
  return [...rows.slice(0, at), ...came, ...rows.slice(at + came.length)];
}

/** Return a cell as it is entered: a decimal comma as the point, a day as 31.12.2026 too, a choice by its words. */
function valueOf(column: Column, cell: string): string {
  if (column.kind === 'number') return cell.replace(',', '.').replaceAll(/[^\d.-]/g, '');
  if (column.kind === 'date') {
    const [, day = '', month = '', year = ''] = /^(\d{1,2})\.(\d{1,2})\.(\d{4})$/.exec(cell) ?? [];
    return year ? `${year}-${month.padStart(2, '0')}-${day.padStart(2, '0')}` : cell;
  }
  if (column.kind === 'choice') return column.options?.find((o) => [o.value, o.words].includes(cell))?.value ?? '';
  return cell;
}
