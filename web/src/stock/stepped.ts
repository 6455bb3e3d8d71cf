/** A projected stock, laid out to be drawn. */

import { isQuantity, total } from '../lib/decimal';

export interface Change {
  day: string;
  projected: string;
}

export interface Stepped {
  /** corners of the line: shares of the width and of the height */
  points: [at: number, level: number][];
  /** where nothing is left, as a share of the height */
  zero: number;
  isBelow: boolean;
  /** the highest stock, in words */
  most: string;
  /** days to name below, without treading on each other */
  marks: { day: string; at: number }[];
}

const dayNumber = (day: string) => Date.parse(`${day}T00:00Z`) / 86_400_000;

export interface Moving extends Change {
  kind: string;
  number: number;
  change: string;
}

/** Lay out what comes and goes: where on the same width as the line, and how much of the largest. */
export function bars(today: string, steps: readonly Moving[]) {
  const { first, span } = spanOf(today, steps);
  return steps.map((s) => ({
    at: (dayNumber(s.day) - first) / span,
    size: sizeOf(steps, s.change),
    goes: s.change.startsWith('-'),
    isProposed: s.kind === 'proposal',
    number: s.number,
    day: s.day,
    change: s.change,
  }));
}

/** Return the day at a share of the width, not before today. */
export function dayAt(today: string, steps: readonly Change[], share: number): string {
  const { first, span } = spanOf(today, steps);
  return isoDay(first + Math.max(0, Math.round(share * span)));
}

/** Return the day so many days after another, not before today. */
export const dayBeside = (today: string, day: string, days: number) => isoDay(Math.max(dayNumber(today), dayNumber(day) + days));

const mostOf = (steps: readonly Moving[]) => Math.max(...steps.map((s) => Math.abs(Number(s.change))), 1e-9);

/** Return the whole quantity that is a share of the largest change, at least 1. */
export const sizeAt = (steps: readonly Moving[], share: number) => String(Math.max(1, Math.round(share * mostOf(steps))));

/** Return the quantity that is so much more than another, to its last digit; one that would come to nothing stays. */
export function sizeBeside(size: string, more: number): string {
  const next = total([size, String(more)]);
  return isQuantity(next) ? next : size;
}

/** Return what a quantity is of the largest change. */
export const sizeOf = (steps: readonly Moving[], size: string) => Math.abs(Number(size)) / mostOf(steps);

/** Return where a day lies, as a share of the width. */
export function shareOf(today: string, steps: readonly Change[], day: string): number {
  const { first, span } = spanOf(today, steps);
  return (dayNumber(day) - first) / span;
}

const isoDay = (number: number) => new Date(number * 86_400_000).toISOString().slice(0, 10);

/** Return the first day and how many days are shown: up to a little after the last change. */
function spanOf(today: string, steps: readonly Change[]) {
  const first = dayNumber(today);
  const last = Math.max(...steps.map((s) => dayNumber(s.day)), first + 1);
  return { first, span: (last - first) * 1.08 };
}

/** Lay out a projected stock as a stepped line: from today to a little after the last change. */
export function stepped(today: string, begins: string, steps: readonly Change[]): Stepped {
  const { first, span } = spanOf(today, steps);
  const levels = [begins, ...steps.map((s) => s.projected)].map(Number);
  const high = Math.max(0, ...levels);
  const low = Math.min(0, ...levels);
  const range = high - low || 1;
  const share = (level: number) => (level - low) / range;
  const at = (day: string) => (dayNumber(day) - first) / span;
  const ends = new Map<string, number>(steps.map((s) => [s.day, Number(s.projected)]));
  const points: [number, number][] = [[0, share(Number(begins))]];
  for (const [day, level] of ends) points.push([at(day), share(level)]);
  points.push([1, share(levels.at(-1) ?? 0)]);
  const marks: Stepped['marks'] = [{ day: today, at: 0 }];
  for (const day of ends.keys()) if (at(day) - (marks.at(-1)?.at ?? 0) > 0.07) marks.push({ day, at: at(day) });
  return { points, zero: share(0), isBelow: low < 0, most: high.toLocaleString(), marks };
}
