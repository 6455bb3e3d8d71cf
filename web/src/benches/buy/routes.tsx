import type { RouteObject } from 'react-router';
import { BuyPage } from './BuyPage';
import { InvoicesPage, OpenPage } from './InvoicesPage';
import { PurchasePage } from './PurchasePage';
import { SupplierPage } from './SupplierPage';

export const routes: RouteObject[] = [
  { path: 'buy', element: <BuyPage /> },
  { path: 'buy/to-invoice', element: <OpenPage /> },
  { path: 'buy/invoices', element: <InvoicesPage /> },
  { path: 'buy/suppliers/:code', element: <SupplierPage /> },
  { path: 'buy/:number', element: <PurchasePage /> },
];
