import type { Order } from '../api/queries';

type OrderState = Order['state'];
export type OrderBench = 'release' | 'make' | 'cost';

/** The states of a bench's queue, in the order in which they wait there. */
export const waiting: Record<OrderBench, OrderState[]> = {
  release: ['planned', 'firm', 'released'],
  make: ['started', 'released'],
  cost: ['completed', 'started', 'closed'],
};

/** Return the bench that an order's state belongs to. */
export function benchOf(state: OrderState): OrderBench {
  if (state === 'planned' || state === 'firm') return 'release';
  return state === 'released' || state === 'started' ? 'make' : 'cost';
}
