import type { Bench } from '../../bench';
import { forms } from './forms';
import { routes } from './routes';

/** Buying: what is missing, orders to suppliers, what came of them, invoices. */
export const bench: Bench = {
  bar: [{ place: 5, to: '/buy', name: 'Buy' }],
  routes,
  forms,
  pages: [
    ['/buy', 'Buy: what is missing, orders to suppliers'],
    ['/buy/to-invoice', 'Goods received and not invoiced'],
    ['/buy/invoices', 'Invoices of suppliers'],
  ],
  found: { purchase: 'Orders to suppliers' },
  opens: { purchase: (number) => `/buy/${number}` },
};
