import { Link } from 'react-router';

/** Where a chain begins: a supply that is followed up to who waits for it, or a demand down to what it waits for. */
export interface ChainEnd {
  item: string;
  way: 'up' | 'down';
  /** "stock", or what the demand or supply is of */
  source: string;
  number?: number;
  line?: number;
}

/** The way to who waits for a supply, or to what a demand waits for, over all levels. */
export function ChainLink({ item, way, source, number = 0, line = 0 }: ChainEnd) {
  const query = new URLSearchParams({ way, source, number: String(number), line: String(line) });
  return (
    <Link className="quiet-link text-[12px] whitespace-nowrap text-act" to={`/plan/chains/${encodeURIComponent(item)}?${query}`}>
      {way === 'up' ? 'who waits for it' : 'what it waits for'}
    </Link>
  );
}
