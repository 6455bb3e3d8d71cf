export { BridgePage } from './BridgePage';
export { OrderBench, useOrderBench } from './OrderBench';
export { OrderPage } from './OrderPage';
export { PostingPage } from './PostingPage';
