import type { CostIn, CostPart, CostSet, ItemCost, Outcome } from './queries';
import { day } from '../../lib/date';

/** What a set of standards is called in a list of them. */
export const setName = (s: CostSet) =>
  s.state === 'what-if' ? s.name : `${s.state}, ${day((s.activated_at ?? s.frozen_at).slice(0, 10))}`;

/** A part with its share of the whole, and that of all parts up to it. */
export interface RankedPart extends CostPart {
  share: number;
  upTo: number;
}

/** Return the parts of a cost, the largest first, with what they add up to on the way. */
export function rankParts(parts: CostPart[], total: string): RankedPart[] {
  const whole = Number(total) || 1;
  let sum = 0;
  return parts
    .toSorted((a, b) => Math.abs(Number(b.amount)) - Math.abs(Number(a.amount)))
    .map((p) => {
      sum += Number(p.amount);
      return { ...p, share: Number(p.amount) / whole, upTo: sum / whole };
    });
}

/** What a part is, as people say it. */
export function partWords(part: CostPart): string {
  if (part.kind === 'component') return part.is_made ? 'co-product' : 'bought';
  return part.kind;
}

const isTime = (kind: string) => / labour$| machine$/.test(kind);

export interface Group {
  code: string;
  name: string;
  amount: number;
  share: number;
  /** what the money buys there, the largest first */
  of: string[];
}

/** Return what goes to each work center, or to each supplier, the largest first. */
export function groupParts(parts: CostPart[], total: string, by: 'work center' | 'supplier'): Group[] {
  const whole = Number(total) || 1;
  const found = new Map<string, Group>();
  for (const p of rankParts(parts, total)) {
    if (by === 'work center' ? !isTime(p.kind) : !(p.kind === 'component' || p.kind === 'subcontract')) continue;
    const code = by === 'work center' ? p.code : p.supplier;
    const name = by === 'work center' ? p.name : p.supplier_name || 'no supplier has a price';
    const group = found.get(code) ?? { code, name, amount: 0, share: 0, of: [] };
    group.amount += Number(p.amount);
    group.share = group.amount / whole;
    group.of.push(by === 'work center' || p.kind === 'subcontract' ? p.kind : p.name);
    found.set(code, group);
  }
  return [...found.values()].toSorted((a, b) => Math.abs(b.amount) - Math.abs(a.amount));
}

export interface Mover {
  what: string;
  code: string;
  name: string;
  /** what one percent more of it moves */
  moved: number;
  /** a yield, or a lot, as it is */
  value?: string;
}

/** Return every price, rate, yield and lot with what one percent more of it moves, most first. */
export function rankMovers(cost: ItemCost): Mover[] {
  const ofPart = (kind: string) => {
    if (kind === 'component') return 'price';
    if (kind === 'subcontract') return 'price of the work';
    return isTime(kind) ? `rate or hours, ${kind}` : kind;
  };
  return [
    ...cost.parts.map((p) => ({ what: ofPart(p.kind), code: p.code, name: p.name, moved: Number(p.amount) / 100 })),
    ...cost.sensitivities.map((s) => ({
      what: s.operation === null ? 'standard lot' : `yield of operation ${s.operation}`,
      code: s.item,
      name: s.name,
      moved: Number(s.moved),
      value: s.value,
    })),
  ].toSorted((a, b) => Math.abs(b.moved) - Math.abs(a.moved));
}

export interface Segment {
  element: string;
  level: 'this level' | 'lower levels';
  amount: number;
  start: number;
}

/** Return the segments of a layered bar: elements in their order, lower levels first; credits stand below zero. */
export function layOut(layers: CostIn['layers']): Segment[] {
  let end = 0;
  const found: Segment[] = [];
  for (const level of ['lower levels', 'this level'] as const) {
    for (const layer of layers) {
      const amount = Number(level === 'this level' ? layer.this_level : layer.lower_levels);
      if (amount <= 0) continue;
      found.push({ element: layer.element, level, amount, start: end });
      end += amount;
    }
  }
  return found;
}

export interface Point {
  x: number;
  y: number;
}

/** Return where the steps of a history stand in a chart of a size; equal heights stand in the middle. */
export function placeHistory(totals: number[], width: number, height: number): Point[] {
  const least = Math.min(...totals);
  const span = Math.max(...totals) - least;
  return totals.map((t, n) => ({
    x: totals.length > 1 ? (n * width) / (totals.length - 1) : width / 2,
    y: span > 0 ? height - ((t - least) * height) / span : height / 2,
  }));
}

/** A finished order as a bar: its parts from the bottom up, and its standard, as shares of the chart. */
export interface HistoryBar {
  order: number;
  words: string;
  standard: number;
  parts: { element: string; from: number; to: number }[];
}

/** Return finished orders as bars, the oldest first; what was credited is taken off the largest part. */
export function stackHistory(rows: readonly Outcome[]): { bars: HistoryBar[]; elements: string[]; most: number } {
  const made = rows.filter((r) => r.unit_cost !== null).toReversed();
  const most = 1.05 * Math.max(...made.map((r) => Math.max(Number(r.unit_cost), Number(r.standard))), 0.01);
  const elements: string[] = [];
  const bars = made.map((r) => {
    const costs = r.elements.map((e) => ({ element: e.element, each: Number(e.each) }));
    const credited = costs.filter((c) => c.each < 0).reduce((sum, c) => sum + c.each, 0);
    const charged = costs.filter((c) => c.each > 0);
    const largest = charged.toSorted((a, b) => b.each - a.each)[0];
    let level = 0;
    const parts = charged.map((c) => {
      if (!elements.includes(c.element)) elements.push(c.element);
      const from = level;
      level += (c.each + (c === largest ? credited : 0)) / most;
      return { element: c.element, from, to: level };
    });
    return { order: r.order, words: `${r.unit_cost} EUR each`, standard: Number(r.standard) / most, parts };
  });
  return { bars, elements, most };
}

/** Return the two orders that are marked, the older first; null unless there are two. */
export function comparedPair(marked: readonly number[]): [number, number] | null {
  const [a, b] = marked;
  if (marked.length !== 2 || a === undefined || b === undefined) return null;
  return a < b ? [a, b] : [b, a];
}
