/** What a scan means on a walk, and how a list stands with what has not arrived yet. */

import { isZero } from '../../lib/decimal';
import type { PickLine, PickList } from './queries';
import type { Scan } from './scans';

/** A line as who walks sees it: what was scanned and has not arrived counts. */
export interface Walked extends PickLine {
  /** a take of it waits for the connection */
  isWaiting: boolean;
  isOpen: boolean;
}

/** Return the lines with what waits taken into account. */
export function walked(list: PickList, waiting: readonly Scan[]): Walked[] {
  return list.lines.map((line) => {
    const own = waiting.filter((s) => s.given['line'] === line.line && !s.problem);
    const isWaiting = own.length > 0;
    const takesAll = own.some((s) => s.name === 'pick-short' || (s.name === 'pick' && s.given['quantity'] === line.left));
    return { ...line, isWaiting, isOpen: line.state === 'open' && !takesAll && !isZero(line.left) };
  });
}

/** What was scanned of the line in hand. */
export interface Seen {
  place: boolean;
  item: boolean;
  /** another lot than the list says, "" for that of the list */
  lot: string;
  target: string;
}

export const nothingSeen: Seen = { place: false, item: false, lot: '', target: '' };

export type Reading =
  | { kind: 'place' | 'item' }
  | { kind: 'target'; code: string; name: string; isTaken: boolean }
  | { kind: 'line'; line: number }
  | { kind: 'unknown' };

/** Return what a code means: of the line in hand first, then of the others; unknown ones the server may know. */
export function readScan(list: PickList, lines: readonly Walked[], current: Walked | undefined, seen: Seen, code: string): Reading {
  const text = code.trim();
  if (current) {
    if (!seen.place && current.place_scans.includes(text)) return { kind: 'place' };
    if (current.item_scans.includes(text) || current.lot_scans.includes(text)) return { kind: 'item' };
  }
  const target = list.targets.find((t) => t.scan_code === text || t.code === text);
  if (target) return { kind: 'target', code: target.code, name: target.name, isTaken: seen.place && seen.item };
  if (current?.place_scans.includes(text)) return { kind: 'place' };
  const other = lines.find((n) => n.isOpen && n.line !== current?.line && [...n.place_scans, ...n.item_scans, ...n.lot_scans].includes(text));
  return other ? { kind: 'line', line: other.line } : { kind: 'unknown' };
}

/** Return how a list stands: lines done of all, and those that are short. */
export function standing(lines: readonly Walked[]): { done: number; all: number; short: Walked[] } {
  return { done: lines.filter((n) => !n.isOpen).length, all: lines.length, short: lines.filter((n) => n.state === 'short') };
}

/** Return what is sent for a take: only what differs from the line is named. */
export function takeOf(line: Walked, quantity: string, seen: Seen): Record<string, unknown> {
  const given: Record<string, unknown> = { line: line.line, quantity };
  if (seen.target && seen.target !== line.target) given['target'] = seen.target;
  if (seen.lot && seen.lot !== line.lot) given['lots'] = [{ lot: seen.lot, quantity }];
  return given;
}
