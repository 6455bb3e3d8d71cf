/** What is asked across orders, as its address says it, and the bars beside the table. */

import { values } from '../../api/values';
import type { AcrossRow, Asked, By } from './queries';

const isBy = (text: string | null): text is By => (values.By as readonly (string | null)[]).includes(text);

/** Return the question that an address asks. */
export function askedOf(query: URLSearchParams): Asked {
  const [rows, columns] = [query.get('rows'), query.get('columns')];
  return {
    rows: isBy(rows) ? rows : 'item',
    columns: isBy(columns) ? columns : 'cause',
    since: query.get('since') ?? '',
    until: query.get('until') ?? '',
    where: query.get('where') ?? '',
  };
}

/** Return conditions with one more, in the place of another of the same kind. */
export function narrowed(where: string, by: By, key: string): string {
  const others = where.split(';').filter((said) => said !== '' && !said.startsWith(`${by}:`));
  return [...others, `${by}:${key}`].join(';');
}

/** Return conditions without one. */
export const widened = (where: string, said: string): string => where.split(';').filter((own) => own !== said).join(';');

/** Return where each row's bar begins and how wide it is [%], around a common zero. */
export function barsOf(rows: readonly Pick<AcrossRow, 'amount'>[]): { from: number; width: number; isFavourable: boolean }[] {
  const amounts = rows.map((r) => Number(r.amount));
  const most = Math.max(0, ...amounts);
  const least = Math.min(0, ...amounts);
  const span = most - least || 1;
  return amounts.map((a) => ({
    from: (100 * (Math.min(a, 0) - least)) / span,
    width: (100 * Math.abs(a)) / span,
    isFavourable: a < 0,
  }));
}
