export { DefineBench } from './DefineBench';
export { EditPage } from './EditPage';
export { ItemPage } from './ItemPage';
export { WorkCentersPage } from './WorkCentersPage';
