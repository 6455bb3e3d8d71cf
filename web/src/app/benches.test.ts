import { describe, expect, it } from 'vitest';
import { bar, benches, openingOf } from './benches';

describe('the benches that registered themselves', () => {
  it('stand in the bar from left to right, each at its own place and address', () => {
    expect(bar.map((b) => b.name)).toEqual(['Today', 'Define', 'Sell', 'Plan', 'Buy', 'Release', 'Make', 'Cost']);
    expect(new Set(bar.map((b) => b.place)).size).toBe(bar.length);
    expect(new Set(bar.map((b) => b.to)).size).toBe(bar.length);
    expect(bar.filter((b) => b.seesCosts).map((b) => b.to)).toEqual(['/cost']);
  });

  it('give each form, each page of Ctrl-K and each kind of thing to one bench alone', () => {
    for (const of of ['forms', 'found', 'opens'] as const) {
      const names = benches.flatMap((b) => Object.keys(b[of] ?? {}));
      expect(new Set(names).size, of).toBe(names.length);
    }
    const pages = benches.flatMap((b) => (b.pages ?? []).map(([to]) => to));
    expect(new Set(pages).size).toBe(pages.length);
  });

  it('answer at every address that the bar and Ctrl-K lead to', () => {
    const paths = (routes: (typeof benches)[number]['routes'], base = ''): string[] =>
      routes.flatMap((r) => {
        const here = r.path ? `${base}/${r.path}` : base;
        return [here || '/', ...paths(r.children ?? [], here)];
      });
    const answered = new Set(benches.flatMap((b) => paths(b.routes)));
    for (const to of [...bar.map((b) => b.to), ...benches.flatMap((b) => (b.pages ?? []).map(([at]) => at))]) {
      expect(answered, to).toContain(to);
    }
  });

  it('open what a command made, if it is opened anywhere', () => {
    expect(openingOf({ order: '1047' })).toBe('/orders/1047?bench=release');
    expect(openingOf({ item: 'A/B 1' })).toBe('/define/items/A%2FB%201');
    expect(openingOf({ cost_set: '3' })).toBeUndefined();
    expect(openingOf({})).toBeUndefined();
  });
});
