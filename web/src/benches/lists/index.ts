import type { Bench } from '../../bench';
import { routes } from './routes';

/** Work centers' lists and loads; part of the release bench. */
export const bench: Bench = {
  bar: [],
  routes,
  pages: [['/release/lists', "Work centers' lists and load"]],
};
