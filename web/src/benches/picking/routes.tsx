import type { RouteObject } from 'react-router';
import { PickPage } from './PickPage';
import { CarriersPage, PicksPage, PrinterPage } from './PicksPage';
import { ScannerPage } from './ScannerPage';

export const routes: RouteObject[] = [
  { path: 'release/picks', element: <PicksPage /> },
  { path: 'release/picks/:number', element: <PickPage /> },
  { path: 'release/carriers', element: <CarriersPage /> },
  { path: 'release/printer', element: <PrinterPage /> },
  { path: 'scanner', element: <ScannerPage /> },
];
