/** What a posting touches: orders, and the stock of items. */
const POSTED = /^(order:|stock of item:|lot:|purchase:)/;
const STOCK = 'stock of item:';

/**
 * Tell whether a query shows one of the things that somebody changed.
 *
 * After a posting only orders, purchases, lists, and what is said of the items that moved are asked for again: not
 * structures, standards, calendars. Anything else may change anything; so may what is told without its things.
 */
export function shows(queryKey: readonly unknown[], things: string[]): boolean {
  const [kind, second] = queryKey;
  if (kind === 'preview' || kind === 'me') return false;
  if (things.length === 0 || !things.every((t) => POSTED.test(t))) return true;
  if (kind !== 'items') return kind === 'orders' || kind === 'stores' || kind === 'buying' || kind === 'today' || kind === 'postings' || kind === 'audit';
  return second === 'page' || second === 'named' || things.includes(`${STOCK}${String(second)}`);
}
