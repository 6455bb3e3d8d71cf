export { AsBuiltPage } from './AsBuiltPage';
export { BridgePage } from './BridgePage';
export { OrderBench, useOrderBench } from './OrderBench';
export { OrderPage } from './OrderPage';
export { PostingPage } from './PostingPage';
