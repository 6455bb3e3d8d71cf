import type { Bench } from '../../bench';
import { forms } from './forms';
import { routes } from './routes';

/** Planning: what to make and buy, which of what exists should come another day, who gets what. */
export const bench: Bench = {
  bar: [{ place: 4, to: '/plan', name: 'Plan' }],
  routes,
  forms,
  pages: [['/plan', 'Plan: what to make and buy, and by when']],
};
