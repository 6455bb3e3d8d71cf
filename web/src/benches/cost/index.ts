import type { Bench } from '../../bench';
import { forms } from './forms';
import { routes } from './routes';

export const bench: Bench = {
  bar: [{ place: 8, to: '/cost', name: 'Cost', seesCosts: true }],
  routes,
  forms,
  pages: [
    ['/cost/across', 'Variances across orders: by item, cause, work center, person'],
    ['/cost/closing', 'Orders to close, and what the night closes'],
    ['/cost/late', 'Late cost: what waits, and the chains it walked'],
    ['/cost/months', 'Months of the books: closing and opening again'],
    ['/cost/books', 'Books: trial balance, accounts, the journal as files'],
    ['/cost/actual', 'Actual cost of a month: what the next standard should learn'],
    ['/cost/delivered', 'Delivered: price, cost, what it left'],
    ['/cost/standards', 'Standards: in force, next, what-ifs'],
    ['/cost/margin', 'Margin: list prices less standards, worst first'],
  ],
};
