/** The wide table of orders: its columns, and how what is typed in their heads stands in the address. */

export interface Column {
  name: string;
  words: string;
  /** width [px] */
  width: number;
  isNumber?: boolean;
  isCost?: boolean;
  hint?: string;
}

const BOUND = 'a value, >5, <5, or 5..9';
const DAY = '2026-12-01, <2026-12-01, or two days with .. between';

export const columns: readonly Column[] = [
  { name: 'order', words: 'order', width: 68, hint: 'the first digits, or a bound' },
  { name: 'item', words: 'item', width: 88, hint: 'part of it; * stands for anything' },
  { name: 'name', words: 'name', width: 190, hint: 'part of it' },
  { name: 'state', words: 'state', width: 88, hint: 'planned, released, …; several with spaces' },
  { name: 'quantity', words: 'quantity', width: 78, isNumber: true, hint: BOUND },
  { name: 'received', words: 'received', width: 74, isNumber: true, hint: BOUND },
  { name: 'due', words: 'due', width: 96, hint: DAY },
  { name: 'starts', words: 'starts', width: 96, hint: DAY },
  { name: 'finishes', words: 'finishes', width: 96, hint: DAY },
  { name: 'late', words: 'late', width: 54, isNumber: true, hint: 'working days: >0' },
  { name: 'at', words: 'at', width: 196, hint: 'part of it' },
  { name: 'customer', words: 'customer', width: 150, hint: 'part of it' },
  { name: 'wanted', words: 'their order', width: 100, hint: 'part of it' },
  { name: 'note', words: 'note', width: 160, hint: 'part of it' },
  { name: 'allowed', words: 'allowed', width: 84, isNumber: true, isCost: true, hint: BOUND },
  { name: 'charged', words: 'charged', width: 84, isNumber: true, isCost: true, hint: BOUND },
  { name: 'forecast', words: 'will come to', width: 96, isNumber: true, isCost: true, hint: BOUND },
  { name: 'basis', words: 'basis', width: 92, hint: 'standard, provisional, actual, corrected' },
  { name: 'variance', words: 'variance', width: 90, isNumber: true, isCost: true, hint: BOUND },
  { name: 'wip', words: 'WIP', width: 84, isNumber: true, isCost: true, hint: BOUND },
  { name: 'done', words: 'done %', width: 66, isNumber: true, hint: BOUND },
  { name: 'finished', words: 'finished', width: 96, hint: DAY },
  { name: 'lead', words: 'days taken', width: 80, isNumber: true, hint: BOUND },
  { name: 'labour', words: 'people h', width: 76, isNumber: true, hint: BOUND },
  { name: 'labour_allowed', words: 'allowed people h', width: 118, isNumber: true, hint: BOUND },
  { name: 'machine', words: 'machine h', width: 80, isNumber: true, hint: BOUND },
  { name: 'machine_allowed', words: 'allowed machine h', width: 124, isNumber: true, hint: BOUND },
  { name: 'per_hour', words: 'pieces/h', width: 74, isNumber: true, hint: BOUND },
  { name: 'unit_cost', words: 'EUR each', width: 84, isNumber: true, isCost: true, hint: BOUND },
  ...['price', 'rate', 'usage', 'efficiency', 'yield', 'method', 'setup', 'rework'].map((cause) => ({
    name: `by_${cause}`,
    words: cause,
    width: 84,
    isNumber: true,
    isCost: true,
    hint: BOUND,
  })),
  ...['material', 'labour', 'machine', 'overhead', 'subcontract', 'credit'].map((element) => ({
    name: `of_${element}`,
    words: element === 'credit' ? 'by-product credit' : `${element} EUR`,
    width: 112,
    isNumber: true,
    isCost: true,
    hint: BOUND,
  })),
];

/** Shown where nobody chose otherwise. */
export const usual = ['order', 'item', 'state', 'due', 'finishes', 'late', 'at', 'quantity', 'received', 'allowed', 'charged', 'variance', 'wip'];

/** Return what is typed in the heads, by column, from the address. */
export function typedOf(where: string): Record<string, string> {
  return Object.fromEntries(
    where
      .split(';')
      .filter(Boolean)
      .map((part) => {
        const at = part.indexOf(':');
        return [part.slice(0, at), part.slice(at + 1)] as const;
      }),
  );
}

/** Return the address's conditions for what is typed, in the order of the columns. */
export function whereOf(typed: Readonly<Record<string, string>>): string {
  return columns
    .filter((c) => typed[c.name]?.trim())
    .map((c) => `${c.name}:${typed[c.name]?.replaceAll(';', ' ').trim() ?? ''}`)
    .join(';');
}

/** Return the next order of rows when a head is chosen: up, down, up again. */
export function sortBy(was: string, name: string): string {
  return was === name ? `-${name}` : name;
}

/** Return the columns that are chosen and may be seen, in their own order. */
export function chosenColumns(named: string | null, seesCosts: boolean): Column[] {
  const wanted = new Set(named ? named.split(',') : usual);
  const found = columns.filter((c) => wanted.has(c.name) && (seesCosts || !c.isCost));
  return found.length ? found : columns.slice(0, 1);
}
