import type { RouteObject } from 'react-router';
import { CountPage, CountsPage } from './CountsPage';
import { ItemStoresPage } from './ItemStoresPage';
import { LotPage } from './LotPage';
import { StockPage } from './StockPage';
import { TransfersPage } from './TransfersPage';

export const routes: RouteObject[] = [
  { path: 'release/stock', element: <StockPage /> },
  { path: 'release/stock/:code', element: <ItemStoresPage /> },
  { path: 'release/stock/:code/:lot', element: <LotPage /> },
  { path: 'release/transfers', element: <TransfersPage /> },
  { path: 'release/counts', element: <CountsPage /> },
  { path: 'release/counts/:number', element: <CountPage /> },
];
