import { Link } from 'react-router';

/** An item's code as the way to its page; Alt-P on it shows the item without leaving. */
export function ItemCode({ code, className = '' }: { code: string; className?: string }) {
  return (
    <Link data-peek={code} className={`code quiet-link ${className}`} to={`/define/items/${encodeURIComponent(code)}`}>
      {code}
    </Link>
  );
}
