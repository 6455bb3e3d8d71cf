import type { RouteObject } from 'react-router';
import { later } from '../../ui/Later';
import { ItemQueue } from '../../items/ItemQueue';
import { OrderQueue } from '../../orders/OrderQueue';

export const routes: RouteObject[] = [
  {
    path: 'cost',
    element: <OrderQueue bench="cost" />,
    children: [
      { index: true, element: later(() => import('./AcrossPage'), 'AcrossPage') },
      { path: 'across', element: later(() => import('./AcrossPage'), 'AcrossPage') },
      { path: 'closing', element: later(() => import('./ClosingPage'), 'ClosingPage') },
      { path: 'late', element: later(() => import('./LateCostPage'), 'LateCostPage') },
      { path: 'late/:posting', element: later(() => import('./LateCostPage'), 'ChainPage') },
      { path: 'months', element: later(() => import('./MonthsPage'), 'MonthsPage') },
      { path: 'months/:first', element: later(() => import('./MonthsPage'), 'MonthPage') },
      { path: 'actual', element: later(() => import('./ActualPage'), 'ActualPage') },
      { path: 'delivered', element: later(() => import('./DeliveredPage'), 'DeliveredPage') },
      { path: 'books', element: later(() => import('./BooksPage'), 'BooksPage') },
      { path: 'books/:account', element: later(() => import('./BooksPage'), 'SheetPage') },
      { path: 'standards', element: later(() => import('./StandardsPage'), 'StandardsPage') },
      { path: 'margin', element: later(() => import('./MarginPage'), 'MarginPage') },
    ],
  },
  { path: 'define', element: <ItemQueue />, children: [
      { path: 'items/:code/cost', element: later(() => import('./ItemCostPage'), 'ItemCostPage') },
      { path: 'items/:code/history', element: later(() => import('./HistoryPage'), 'HistoryPage') },
    ],
  },
];
