/** What a bench says of itself: its folder exports one, and the application is composed of those it finds. */

import type { RouteObject } from 'react-router';
import type { Form } from './commands/form';

export type Keys = readonly (readonly [where: string, keys: readonly (readonly [key: string, does: string])[]])[];

export interface Bench {
  /** entries of the bar above, in its order */
  bar: readonly { place: number; to: string; name: string; seesCosts?: boolean }[];
  routes: readonly RouteObject[];
  forms?: Readonly<Record<string, Form>>;
  /** pages that Ctrl-K goes to, with the words they are found by */
  pages?: readonly (readonly [to: string, words: string])[];
  /** keys, by where they work */
  keys?: Keys;
  /** what the kinds of things that are found here are called, many of them */
  found?: Readonly<Record<string, string>>;
  /** where something of a kind is opened once a command made it */
  opens?: Readonly<Record<string, (made: string) => string>>;
  /** for an address that belongs to no entry of the bar by itself: the one that it is open under */
  useAt?: () => string | null;
}
