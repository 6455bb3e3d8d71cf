import type { RouteObject } from 'react-router';
import { later } from '../../ui/Later';

export const routes: RouteObject[] = [
  {
    path: 'plan',
    element: later(() => import('./PlanPage'), 'PlanPage'),
    children: [
      { index: true, element: later(() => import('./WholePage'), 'WholePage') },
      { path: 'items/:code', element: later(() => import('./FuturePage'), 'FuturePage') },
      { path: 'chains/:item', element: later(() => import('./ChainPage'), 'ChainPage') },
      { path: 'purchases', element: later(() => import('./PurchasesPage'), 'PurchasesPage') },
      { path: 'what-ifs/:run', element: later(() => import('./ComparePage'), 'ComparePage') },
    ],
  },
];
