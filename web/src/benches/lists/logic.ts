/** How loads are told. */

import { quantity } from '../../lib/decimal';

/** Hours as they are read: to a tenth. */
export function hours(text: string): string {
  return quantity((Math.round(Number(text) * 10) / 10).toFixed(1));
}

/** Load of capacity in percent, "" where there is no capacity. */
export function share(load: number, capacity: string): string {
  const whole = Number(capacity);
  return whole > 0 ? `${Math.round((load / whole) * 100)} %` : '';
}
