import type { Bench } from '../../bench';
import { forms } from './forms';
import { routes } from './routes';

/** Selling: what customers order, what is foreseen, what leaves. */
export const bench: Bench = {
  bar: [{ place: 3, to: '/sell', name: 'Sell' }],
  routes,
  forms,
  pages: [
    ['/sell', "Sell: customers' orders and offers"],
    ['/sell/forecasts', 'Forecasts: what is foreseen, and what was ordered of it'],
  ],
  found: { 'customer order': "Customers' orders" },
  opens: { 'customer order': (number) => `/sell/${number}` },
};
