import type { RouteObject } from 'react-router';
import { ComparePage } from './ComparePage';
import { FuturePage } from './FuturePage';
import { PlanPage } from './PlanPage';
import { WholePage } from './WholePage';

export const routes: RouteObject[] = [
  {
    path: 'plan',
    element: <PlanPage />,
    children: [
      { index: true, element: <WholePage /> },
      { path: 'items/:code', element: <FuturePage /> },
      { path: 'what-ifs/:run', element: <ComparePage /> },
    ],
  },
];
