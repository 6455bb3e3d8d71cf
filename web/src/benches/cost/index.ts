import type { Bench } from '../../bench';
import { forms } from './forms';
import { routes } from './routes';

export const bench: Bench = {
  bar: [{ place: 6, to: '/cost', name: 'Cost', seesCosts: true }],
  routes,
  forms,
  pages: [
    ['/cost/standards', 'Standards: in force, next, what-ifs'],
    ['/cost/margin', 'Margin: list prices less standards, worst first'],
  ],
};
