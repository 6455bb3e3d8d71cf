import type { Bench } from '../../bench';
import { forms } from './forms';
import { routes } from './routes';

/** Stores: stock, counts and transfers; part of the release bench. */
export const bench: Bench = {
  bar: [],
  routes,
  forms,
  pages: [
    ['/release/stock', 'Stock of all items'],
    ['/release/transfers', 'Transfers between sites'],
    ['/release/counts', 'Counts of stock'],
  ],
  opens: {
    count: (number) => `/release/counts/${number}`,
    transfer: () => '/release/transfers',
  },
};
