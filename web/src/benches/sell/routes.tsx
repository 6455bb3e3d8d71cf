import type { RouteObject } from 'react-router';
import { later } from '../../ui/Later';

export const routes: RouteObject[] = [
  { path: 'sell', element: later(() => import('./SellPage'), 'SellPage') },
  { path: 'sell/forecasts', element: later(() => import('./ForecastsPage'), 'ForecastsPage') },
  { path: 'sell/:number', element: later(() => import('./CustomerOrderPage'), 'CustomerOrderPage') },
];
