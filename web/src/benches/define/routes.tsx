import type { RouteObject } from 'react-router';
import { ItemQueue } from '../../items/ItemQueue';
import { Empty } from '../../ui/States';
import { CalendarsPage } from './CalendarsPage';
import { ComparePage } from './ComparePage';
import { EditPage } from './EditPage';
import { ExchangePage } from './ExchangePage';
import { ItemPage } from './ItemPage';
import { LacksPage } from './LacksPage';
import { PersonsPage } from './PersonsPage';
import { PartnersPage, PlacesPage, ReasonsPage } from './PlainPages';
import { WorkCentersPage } from './WorkCentersPage';

export const routes: RouteObject[] = [
  {
    path: 'define',
    element: <ItemQueue />,
    children: [
      { index: true, element: <Empty title="Define">Choose an item on the left, or a work center.</Empty> },
      { path: 'items/:code', element: <ItemPage /> },
      { path: 'items/:code/edit', element: <EditPage /> },
      { path: 'items/:code/compare', element: <ComparePage /> },
      { path: 'work-centers', element: <WorkCentersPage /> },
      { path: 'calendars', element: <CalendarsPage /> },
      { path: 'exchange', element: <ExchangePage /> },
      { path: 'partners', element: <PartnersPage /> },
      { path: 'places', element: <PlacesPage /> },
      { path: 'reasons', element: <ReasonsPage /> },
      { path: 'persons', element: <PersonsPage /> },
      { path: 'lacks', element: <LacksPage /> },
    ],
  },
];
