import { describe, expect, it } from 'vitest';
import type { Bridge } from './queries';
import { values } from '../../api/values';
import { benchOf, waiting } from '../../orders/waiting';
import { addsUp, layOutBridge, layOutLife, ordersPasted } from './logic';

/** The constructed order of all causes: 2,136.15 allowed, 2,258.84 charged. */
const amounts = { price: '32.40', usage: '16.44', yield: '57.37', efficiency: '48.00', setup: '32.00', 'order size': '-64.00', 'by-product quantity': '0.48', rounding: '0.00', method: '0.00' };
const bridge: Bridge = {
  order: 1,
  state: 'completed',
  allowed: '2136.15',
  charged: '2258.84',
  variance: '122.69',
  wip: '122.69',
  basis: 'provisional',
  forecast: null,
  causes: Object.entries(amounts).map(([kind, amount]) => ({ kind, amount, details: [] })),
  yield_by_reason: [],
};

describe('a queue', () => {
  it('is asked for by the states that wait at its bench, in their order', () => {
    expect(waiting.make).toEqual(['started', 'released']);
    for (const bench of ['release', 'make', 'cost'] as const) {
      expect(waiting[bench].some((state) => benchOf(state) === bench)).toBe(true);
    }
  });

  it('is the one that an order of a state belongs to', () => {
    expect(values.OrderState.map(benchOf)).toEqual(['release', 'release', 'make', 'make', 'cost', 'cost', 'cost']);
  });
});

describe('the cost bridge', () => {
  it('adds up to the cent, and says when it does not', () => {
    expect(addsUp(bridge)).toBe(true);
    expect(addsUp({ ...bridge, charged: '2258.85' })).toBe(false);
  });

  it('begins each step where the one before ends, from allowed to actual', () => {
    const { rows, isCut, low } = layOutBridge(bridge);
    const steps = rows.filter((r) => r.kind === 'cause');
    let at = rows[0]?.to ?? 0;
    for (const step of steps) {
      expect(Math.min(Math.abs(step.from - at), Math.abs(step.to - at))).toBeLessThan(1e-9);
      at = Math.abs(step.from - at) < 1e-9 ? step.to : step.from;
    }

    expect(at).toBeCloseTo(rows.at(-1)?.to ?? 0);
    expect(isCut).toBe(true);
    expect(low).toBeLessThan(2136.15);
    expect(steps.some((s) => s.words === 'method')).toBe(false); // nothing to show
    expect(rows.every((r) => r.from >= 0 && r.to <= 100)).toBe(true);
  });

  it('starts at zero where nothing is allowed yet', () => {
    const none = layOutBridge({ ...bridge, allowed: '0.00', charged: '10.00', causes: [{ kind: 'price', amount: '10.00', details: [] }] });

    expect([none.low, none.isCut]).toEqual([0, false]);
  });
});

describe('a pasted table of orders', () => {
  it('is read with tabs, semicolons or wide gaps, a decimal comma, and whom each is for', () => {
    const text = 'MA-200\t12\t2026-12-18\t331/1\n\nCS-01;2,5;2026-12-19\n  RB-200   3   2027-01-04  Sky Club  line 2 ';
    expect(ordersPasted(text)).toEqual({
      orders: [
        { item: 'MA-200', quantity: '12', due: '2026-12-18', customer_order: '331/1' },
        { item: 'CS-01', quantity: '2.5', due: '2026-12-19', customer_order: '' },
        { item: 'RB-200', quantity: '3', due: '2027-01-04', customer_order: 'Sky Club line 2' },
      ],
      wrong: [],
    });
  });

  it('says of each line what can not be read, and keeps the others', () => {
    const { orders, wrong } = ordersPasted('MA-200\tmany\t2026-12-18\nMA-200\t4\tsoon\nMA-200\t4\t2026-12-18\nCS-01');
    expect(orders).toHaveLength(1);
    expect(wrong).toEqual(['Line 1: many is no quantity.', 'Line 2: soon is no day such as 2026-12-18.', 'Line 4: nothing is no quantity.']);
  });
});

describe("an order's life", () => {
  const point = (at: string, charged: string, allowed: string, posting: number) => ({ at, charged, allowed, kinds: ['issue', 'report'], postings: [posting] });

  it('is drawn in shares of its time and of the most that it was charged or allowed', () => {
    const { points, most } = layOutLife([point('2026-11-01T08:00:00Z', '50.00', '40.00', 7), point('2026-11-02T08:00:00Z', '75.00', '100.00', 8), point('2026-11-05T08:00:00Z', '-1.00', '0', 9)]);
    expect(most).toBe(100);
    expect(points.map(({ at, charged, allowed }) => [at, charged, allowed])).toEqual([[0, 0.5, 0.4], [0.25, 0.75, 1], [1, 0, 0]]);
    expect(points[0]?.words).toBe('issue, report: charged 50.00, allowed 40.00');
  });

  it('is one point where all happened at one moment', () => {
    expect(layOutLife([point('2026-11-01T08:00:00Z', '0', '0', 7)])).toMatchObject({ points: [{ at: 0, charged: 0 }], most: 0.01 });
  });
});
