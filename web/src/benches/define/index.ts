export { CalendarsPage } from './CalendarsPage';
export { ComparePage } from './ComparePage';
export { DefineBench } from './DefineBench';
export { EditPage } from './EditPage';
export { ExchangePage } from './ExchangePage';
export { ItemPage } from './ItemPage';
export { LacksPage } from './LacksPage';
export { PartnersPage, PersonsPage, PlacesPage, ReasonsPage } from './PlainPages';
export { WorkCentersPage } from './WorkCentersPage';
