/** What is sent of what was typed about the lines of a purchase order or of an invoice. */

import type { Row } from '../../commands/rows';
import { plain } from '../../lib/decimal';

export interface TypedLine {
  quantity?: string;
  price?: string;
  comes_on?: string;
  drop?: boolean;
}

interface Line {
  line: number;
  quantity: string;
  price: string;
  comes_on: string;
}

/** Return of each line what was typed otherwise than it stands; what is left out is not named. */
export function changedLines(lines: readonly Line[], typed: Readonly<Record<number, TypedLine>>) {
  return lines.flatMap((n) => {
    const t = typed[n.line];
    if (!t || t.drop) return [];
    const changed = {
      ...(t.quantity && t.quantity !== plain(n.quantity) && { quantity: t.quantity }),
      ...(t.price && t.price !== plain(n.price) && { price: t.price }),
      ...(t.comes_on && t.comes_on !== n.comes_on && { comes_on: t.comes_on }),
    };
    return Object.keys(changed).length ? [{ line: n.line, ...changed }] : [];
  });
}

const isSomething = (text: string | undefined) => text !== undefined && /[1-9]/.test(text);

/** Return the lines of which something came or was lost, each with its lots. */
export function cameLines(lines: readonly { line: number }[], quantities: Readonly<Record<number, string>>, lots: Readonly<Record<number, Row[]>>, lost: Readonly<Record<number, Row[]>>) {
  const filled = (rows: Row[] | undefined) => (rows ?? []).filter((r) => isSomething(r['quantity']));
  return lines
    .map((n) => ({ line: n.line, quantity: quantities[n.line] || '0', lots: filled(lots[n.line]), scrap: filled(lost[n.line]) }))
    .filter((n) => isSomething(n.quantity) || n.scrap.length > 0);
}

/** Return what a despatch advice brings of an order, and of which others. */
export function sentLines<T extends { purchase: number }>(lines: readonly T[], purchase: number) {
  const others = new Set(lines.map((n) => n.purchase).filter((n) => n !== purchase));
  return { own: lines.filter((n) => n.purchase === purchase), others: [...others] };
}

export interface Asked {
  isOn: boolean;
  quantity: string;
  amount: string;
}

/** Return the lines of an invoice: those that are marked and ask for something. */
export function askedLines(rows: readonly { delivery: number; purchase: number; line: number }[], asked: Readonly<Record<number, Asked>>) {
  return rows.flatMap((r) => {
    const a = asked[r.delivery];
    return a?.isOn && isSomething(a.quantity) ? [{ purchase: r.purchase, line: r.line, quantity: a.quantity, amount: a.amount || '0' }] : [];
  });
}

/** Return the lines of an invoice that was read from a file: those that name a line of ours. */
export function readLines(lines: readonly { purchase: number | null; of_line: number | null; quantity: string; amount: string }[]) {
  return lines.flatMap((n) => (n.purchase !== null && n.of_line !== null ? [{ purchase: n.purchase, line: n.of_line, quantity: n.quantity, amount: n.amount }] : []));
}
