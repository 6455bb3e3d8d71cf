/** The benches that there are: each folder beside the application that says what it is. */

import type { Bench } from '../bench';
import { registerForms } from '../commands/form';

const found = import.meta.glob<{ bench: Bench }>('../benches/*/index.{ts,tsx}', { eager: true });
export const benches = Object.values(found).map((module) => module.bench);

for (const bench of benches) registerForms(bench.forms ?? {});

/** The bar above, from left to right. */
export const bar = benches.flatMap((b) => b.bar).toSorted((a, b) => a.place - b.place);

/** Return the entry of the bar that an address is open under. */
export function useBarEntry(pathname: string): string | undefined {
  const asked = benches.map((b) => b.useAt?.()).find(Boolean);
  return asked ?? bar.findLast((b) => (b.to === '/' ? pathname === '/' : pathname.startsWith(b.to)))?.to;
}

/** Return where what a command made is opened, if a bench opens such things. */
export function openingOf(made: Readonly<Record<string, string>>): string | undefined {
  return benches
    .flatMap((b) => Object.entries(b.opens ?? {}))
    .flatMap(([kind, at]) => (made[kind] ? [at(made[kind])] : []))[0];
}
