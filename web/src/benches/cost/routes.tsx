import type { RouteObject } from 'react-router';
import { ItemQueue } from '../../items/ItemQueue';
import { OrderQueue } from '../../orders/OrderQueue';
import { ActualPage } from './ActualPage';
import { AcrossPage } from './AcrossPage';
import { BooksPage, SheetPage } from './BooksPage';
import { ClosingPage } from './ClosingPage';
import { DeliveredPage } from './DeliveredPage';
import { HistoryPage } from './HistoryPage';
import { ItemCostPage } from './ItemCostPage';
import { ChainPage, LateCostPage } from './LateCostPage';
import { MarginPage } from './MarginPage';
import { MonthPage, MonthsPage } from './MonthsPage';
import { StandardsPage } from './StandardsPage';

export const routes: RouteObject[] = [
  {
    path: 'cost',
    element: <OrderQueue bench="cost" />,
    children: [
      { index: true, element: <AcrossPage /> },
      { path: 'across', element: <AcrossPage /> },
      { path: 'closing', element: <ClosingPage /> },
      { path: 'late', element: <LateCostPage /> },
      { path: 'late/:posting', element: <ChainPage /> },
      { path: 'months', element: <MonthsPage /> },
      { path: 'months/:first', element: <MonthPage /> },
      { path: 'actual', element: <ActualPage /> },
      { path: 'delivered', element: <DeliveredPage /> },
      { path: 'books', element: <BooksPage /> },
      { path: 'books/:account', element: <SheetPage /> },
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
