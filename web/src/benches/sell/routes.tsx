import type { RouteObject } from 'react-router';
import { CustomerOrderPage } from './CustomerOrderPage';
import { ForecastsPage } from './ForecastsPage';
import { SellPage } from './SellPage';

export const routes: RouteObject[] = [
  { path: 'sell', element: <SellPage /> },
  { path: 'sell/forecasts', element: <ForecastsPage /> },
  { path: 'sell/:number', element: <CustomerOrderPage /> },
];
