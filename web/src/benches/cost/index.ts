export { ItemCostPage } from './ItemCostPage';
export { StandardsPage } from './StandardsPage';
