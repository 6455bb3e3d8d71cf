import type { CostIn, CostPart } from '../../api/queries';

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
