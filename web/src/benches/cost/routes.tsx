import type { RouteObject } from 'react-router';
import { ItemQueue } from '../../items/ItemQueue';
import { OrderQueue } from '../../orders/OrderQueue';
import { HistoryPage } from './HistoryPage';
import { ItemCostPage } from './ItemCostPage';
import { MarginPage } from './MarginPage';
import { StandardsPage } from './StandardsPage';

export const routes: RouteObject[] = [
  {
    path: 'cost',
    element: <OrderQueue bench="cost" />,
    children: [
      { index: true, element: <StandardsPage /> },
      { path: 'standards', element: <StandardsPage /> },
      { path: 'margin', element: <MarginPage /> },
    ],
  },
  { path: 'define', element: <ItemQueue />, children: [
      { path: 'items/:code/cost', element: <ItemCostPage /> },
      { path: 'items/:code/history', element: <HistoryPage /> },
    ],
  },
];
