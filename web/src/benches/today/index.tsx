import type { Bench } from '../../bench';
import { Today } from './Today';

export const bench: Bench = {
  bar: [{ place: 1, to: '/', name: 'Today' }],
  routes: [{ index: true, element: <Today /> }],
};
