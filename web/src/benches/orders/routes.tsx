import type { RouteObject } from 'react-router';
import { OrderQueue } from '../../orders/OrderQueue';
import { Empty } from '../../ui/States';
import { AsBuiltPage } from './AsBuiltPage';
import { BridgePage } from './BridgePage';
import { ComparedOrdersPage } from './ComparedOrdersPage';
import { OrderPage } from './OrderPage';
import { OrderTablePage } from './OrderTablePage';
import { OrderTreePage } from './OrderTreePage';
import { PostingPage } from './PostingPage';
import { ReadyPage } from './ReadyPage';
import { ShiftPage } from './ShiftPage';
import { TimelinePage } from './TimelinePage';

const choose = (title: string) => [{ index: true, element: <Empty title={title}>Choose an order on the left.</Empty> }];

export const routes: RouteObject[] = [
  { path: 'release', element: <OrderQueue bench="release" />, children: [{ index: true, element: <ReadyPage /> }] },
  { path: 'make', element: <OrderQueue bench="make" />, children: choose('Make') },
  { path: 'make/shift', element: <ShiftPage /> },
  { path: 'orders/table', element: <OrderTablePage /> },
  {
    path: 'orders',
    element: <OrderQueue />,
    children: [
      { path: ':number', element: <OrderPage /> },
      { path: ':number/bridge', element: <BridgePage /> },
      { path: ':number/tree', element: <OrderTreePage /> },
      { path: ':number/timeline', element: <TimelinePage /> },
      { path: ':number/as-built', element: <AsBuiltPage /> },
      { path: ':number/compare/:other', element: <ComparedOrdersPage /> },
    ],
  },
  { path: 'postings/:number', element: <PostingPage /> },
];
