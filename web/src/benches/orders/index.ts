import type { Bench } from '../../bench';
import { useOrderBench } from '../../orders/OrderQueue';
import { forms } from './forms';
import { keys } from './keys';
import { routes } from './routes';

export const bench: Bench = {
  bar: [
    { place: 6, to: '/release', name: 'Release' },
    { place: 7, to: '/make', name: 'Make' },
  ],
  routes,
  forms,
  keys,
  found: { order: 'Orders' },
  pages: [['/orders/table', 'All orders: the wide table']],
  opens: { order: (number) => `/orders/${number}?bench=release` },
  useAt: () => {
    const at = useOrderBench();
    return at && `/${at}`;
  },
};
