import type { RouteObject } from 'react-router';
import { LoadsPage } from './LoadsPage';
import { WorkListPage } from './WorkListPage';

export const routes: RouteObject[] = [
  { path: 'release/lists', element: <LoadsPage /> },
  { path: 'release/lists/:code', element: <WorkListPage /> },
];
