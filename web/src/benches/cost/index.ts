export { ItemCostPage } from './ItemCostPage';
export { MarginPage } from './MarginPage';
export { StandardsPage } from './StandardsPage';
