import type { RouteObject } from 'react-router';
import { OrderQueue } from '../../orders/OrderQueue';
import { Empty } from '../../ui/States';
import { AsBuiltPage } from './AsBuiltPage';
import { BridgePage } from './BridgePage';
import { OrderPage } from './OrderPage';
import { PostingPage } from './PostingPage';
import { ReadyPage } from './ReadyPage';

const choose = (title: string) => [{ index: true, element: <Empty title={title}>Choose an order on the left.</Empty> }];

export const routes: RouteObject[] = [
  { path: 'release', element: <OrderQueue bench="release" />, children: [{ index: true, element: <ReadyPage /> }] },
  { path: 'make', element: <OrderQueue bench="make" />, children: choose('Make') },
  {
    path: 'orders',
    element: <OrderQueue />,
    children: [
      { path: ':number', element: <OrderPage /> },
      { path: ':number/bridge', element: <BridgePage /> },
      { path: ':number/as-built', element: <AsBuiltPage /> },
    ],
  },
  { path: 'postings/:number', element: <PostingPage /> },
];
