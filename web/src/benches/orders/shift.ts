/** The rows of a shift as they are typed, pasted and sent. */

import type { Inputs } from '../../commands/inputs';
import { linesOfCells } from '../../lib/cells';

export const COLUMNS = ['order', 'operation', 'good', 'scrap', 'why', 'setup_hours', 'run_hours', 'who', 'started', 'ended', 'lot', 'note'] as const;
export type Column = (typeof COLUMNS)[number];
const NUMBERS: readonly string[] = ['order', 'operation', 'good', 'scrap', 'setup_hours', 'run_hours'];

export type ShiftRow = Record<Column, string> & { id: string };

export function blankRow(): ShiftRow {
  return { id: crypto.randomUUID(), ...(Object.fromEntries(COLUMNS.map((c) => [c, ''])) as Record<Column, string>) };
}

/** Tell whether nothing was entered in a row. */
export const isBlank = (row: ShiftRow) => COLUMNS.every((c) => row[c].trim() === '');

/** Return rows with an empty one at the end to go on in. */
export function withRoom(rows: ShiftRow[]): ShiftRow[] {
  const last = rows.at(-1);
  return last && isBlank(last) ? rows : [...rows, blankRow()];
}

/** Read pasted cells, or a file of them, into rows from a column on; a line of headings is passed over. */
export function rowsFrom(text: string, { column = 'order', isFile = false }: { column?: Column; isFile?: boolean } = {}): ShiftRow[] {
  const from = COLUMNS.indexOf(column);
  return rowsOf(linesOfCells(text, isFile), from);
}

/** Return the rows of lines of cells, from a column on; a first line of words is their heads. */
export function rowsOf(lines: readonly (readonly string[])[], from = 0): ShiftRow[] {
  const isHead = from === 0 && !/^\s*\d/.test(lines[0]?.[0] ?? '0');
  return lines.slice(isHead ? 1 : 0).map((cells) => {
    const row = blankRow();
    for (const [n, name] of COLUMNS.slice(from).entries()) {
      const cell = cells[n] ?? '';
      row[name] = NUMBERS.includes(name) ? cell.replace(',', '.') : cell;
    }
    return row;
  });
}

const STORE = 'sheet of a shift';

/** Keep the rows of this window, so that they are still there after a reload. */
export function keepRows(rows: ShiftRow[]): void {
  sessionStorage.setItem(STORE, JSON.stringify(rows.filter((row) => !isBlank(row))));
}

/** Return the rows that were kept, with room for more. */
export function keptRows(): ShiftRow[] {
  try {
    return withRoom(JSON.parse(sessionStorage.getItem(STORE) ?? '[]') as ShiftRow[]);
  } catch {
    return withRoom([]);
  }
}

/** Put pasted rows at a row: they take the place of what stood there, and of empty rows only. */
export function pasted(rows: ShiftRow[], at: number, column: Column, text: string): ShiftRow[] {
  const from = COLUMNS.indexOf(column);
  const came = rowsFrom(text, { column });
  const into = came.map((row, n) => {
    const was = rows[at + n];
    if (!was) return row;
    const kept = Object.fromEntries(COLUMNS.slice(0, from).map((c) => [c, was[c]]));
    return { ...row, ...kept, id: was.id };
  });
  return withRoom([...rows.slice(0, at), ...into, ...rows.slice(at + came.length)]);
}

type Given = Inputs['post-shift']['rows'][number];

const AMOUNTS = ['good', 'scrap', 'setup_hours', 'run_hours'] as const;
const CLOCK = /^([01]?\d|2[0-3])(?:[:.]?([0-5]\d))?$/;

/** Return a time of day as it is sent, of 6, 6:30, 6.30 or 630; as it stands where it is none. */
export function clockTime(text: string): string {
  const [, hour, minute = '00'] = CLOCK.exec(text.trim()) ?? [];
  return hour === undefined ? text.trim() : `${hour.padStart(2, '0')}:${minute}`;
}

/** Return what can't be read in a row, in words; null where all of it can be. */
export function unread(row: ShiftRow): string | null {
  if (![row.order, row.operation].every((cell) => /^\d{1,9}$/.test(cell.trim()))) return 'Say which order and which operation, by their numbers.';
  const wrong = AMOUNTS.map((c) => row[c].trim()).find((cell) => cell !== '' && !/^(\d+(\.\d*)?|\.\d+)$/.test(cell));
  if (wrong !== undefined) return `${wrong} is no number.`;
  const noTime = [row.started, row.ended].find((cell) => cell.trim() !== '' && !CLOCK.test(cell.trim()));
  return noTime === undefined ? null : `${noTime} is no time of day: write it as 14:30.`;
}

const isClock = (column: Column) => column === 'started' || column === 'ended';

/** Return what is sent of a row: as it was typed, without what was left empty. */
export function rowGiven(row: ShiftRow): Given {
  const said = Object.fromEntries(([...AMOUNTS, 'why', 'who', 'started', 'ended', 'lot', 'note'] as const).filter((c) => row[c].trim() !== '').map((c) => [c, isClock(c) ? clockTime(row[c]) : row[c].trim()]));
  return { order: Number(row.order), operation: Number(row.operation), ...said } as Given;
}

/** Return what is wrong with rows by their id: what the server said of those that were sent, in their order. */
export function faultsOf(sent: readonly string[], remarks: readonly { thing: string; text: string }[]): Map<string, string> {
  const faults = new Map<string, string>();
  for (const { thing, text } of remarks) {
    const id = sent[Number(/^row (\d+)$/.exec(thing)?.[1]) - 1];
    if (id !== undefined) faults.set(id, text);
  }
  return faults;
}
