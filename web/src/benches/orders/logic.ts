import type { Order } from '../../api/queries';
import type { Bridge, Life } from './queries';
import { isZero, money } from '../../lib/decimal';

/** Return the item of the component that has cost an order most so far, or would by its need. */
export function selectCostliest(order: Order): string | undefined {
  const components = order.inputs.filter((i) => i.kind === 'component');
  return components.toSorted((a, b) => Number(b.amount) - Number(a.amount))[0]?.code;
}

const cents = (amount: string) => BigInt(amount.replace('.', ''));

/** Tell whether a bridge's steps add up to charged less allowed, to the cent. */
export function addsUp(bridge: Bridge): boolean {
  const steps = bridge.causes.reduce((sum, c) => sum + cents(c.amount), 0n);
  return steps === cents(bridge.charged) - cents(bridge.allowed);
}

export interface BridgeRow {
  words: string;
  amount: string;
  /** where the bar begins and ends on the scale, in percent */
  from: number;
  to: number;
  kind: 'total' | 'cause';
}

export interface BridgeScale {
  rows: BridgeRow[];
  low: number;
  high: number;
  isCut: boolean;
}

/** Lay out a bridge: each cause begins where the one before has ended; the axis is cut where that helps. */
export function layOutBridge(bridge: Bridge): BridgeScale {
  const allowed = Number(bridge.allowed);
  const charged = Number(bridge.charged);
  const stops = [allowed];
  const causes = bridge.causes.filter((c) => !isZero(c.amount) || c.kind === 'rounding');
  for (const cause of causes) stops.push((stops.at(-1) ?? 0) + Number(cause.amount));
  const least = Math.min(...stops, charged);
  const most = Math.max(...stops, charged);
  const room = (most - least || Math.abs(most) || 1) * 0.15;
  const isCut = least - room > 0;
  const low = isCut ? least - room : Math.min(0, least);
  const high = most + (most - least) * 0.04 || 1;
  const at = (value: number) => ((value - low) / (high - low)) * 100;
  return {
    low,
    high,
    isCut,
    rows: [
      { words: 'Allowed', amount: bridge.allowed, from: 0, to: at(allowed), kind: 'total' },
      ...causes.map((cause, n): BridgeRow => {
        const ends = [at(stops[n] ?? 0), at(stops[n + 1] ?? 0)];
        return {
          words: cause.kind,
          amount: cause.amount,
          from: Math.min(...ends),
          to: Math.max(...ends),
          kind: 'cause',
        };
      }),
      { words: 'Actual', amount: bridge.charged, from: 0, to: at(charged), kind: 'total' },
    ],
  };
}

export interface Pasted {
  orders: { item: string; quantity: string; due: string; customer_order: string }[];
  /** what can't be read, by line */
  wrong: string[];
}

/** Read a pasted table of orders: item, quantity, due, whose order it is for; tabs, semicolons or runs of spaces between. */
export function ordersPasted(text: string): Pasted {
  const found: Pasted = { orders: [], wrong: [] };
  for (const [n, line] of text.split('\n').entries()) {
    if (line.trim() === '') continue;
    const [item = '', quantity = '', due = '', ...rest] = line.trim().split(/\t|;| {2,}/).map((cell) => cell.trim());
    const number = quantity.replace(',', '.');
    if (!/^\d+(\.\d+)?$/.test(number)) found.wrong.push(`Line ${n + 1}: ${quantity || 'nothing'} is no quantity.`);
    else if (!/^\d{4}-\d{2}-\d{2}$/.test(due)) found.wrong.push(`Line ${n + 1}: ${due || 'nothing'} is no day such as 2026-12-18.`);
    else found.orders.push({ item, quantity: number, due, customer_order: rest.join(' ').trim() });
  }
  return found;
}

/** Return where an order's life is drawn: shares of its time, and of the most it was charged or allowed. */
export function layOutLife(life: readonly Pick<Life['points'][number], 'at' | 'allowed' | 'charged' | 'kinds' | 'postings'>[]) {
  const times = life.map((p) => Date.parse(p.at));
  const begins = Math.min(...times);
  const span = Math.max(...times) - begins || 1;
  const most = Math.max(0.01, ...life.flatMap((p) => [Number(p.allowed), Number(p.charged)]));
  const points = life.map((p, n) => ({
    at: ((times[n] ?? begins) - begins) / span,
    allowed: Math.max(0, Number(p.allowed)) / most,
    charged: Math.max(0, Number(p.charged)) / most,
    posting: p.postings[0] ?? n,
    words: `${p.kinds.join(', ')}: charged ${money(p.charged)}, allowed ${money(p.allowed)}`,
  }));
  return { points, most };
}
