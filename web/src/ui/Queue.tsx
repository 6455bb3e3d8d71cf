import { type KeyboardEvent, type ReactNode, useRef, useState } from 'react';
import { Link } from 'react-router';

export interface QueueRow {
  key: string;
  to: string;
  /** what typing filters by */
  words: string;
  body: ReactNode;
}

/** What is waiting at a bench: arrows move, Enter opens, typing filters, and it says how many it shows. */
export function Queue({
  title,
  rows,
  current,
  empty,
  foot,
}: {
  title: string;
  rows: QueueRow[];
  current: string | undefined;
  empty: ReactNode;
  foot?: ReactNode;
}) {
  const [filter, setFilter] = useState('');
  const entry = useRef<HTMLInputElement>(null);
  const list = useRef<HTMLUListElement>(null);
  const shown = rows.filter((r) =>
    filter
      .toLowerCase()
      .split(' ')
      .every((word) => r.words.toLowerCase().includes(word)),
  );

  function move(event: KeyboardEvent) {
    const links = [...(list.current?.querySelectorAll('a') ?? [])];
    const at = links.indexOf(document.activeElement as HTMLAnchorElement);
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      event.preventDefault();
      const next = event.key === 'ArrowDown' ? at + 1 : at - 1;
      if (next < 0) entry.current?.focus();
      else links[Math.min(next, links.length - 1)]?.focus();
    } else if (at >= 0 && event.key.length === 1 && !event.ctrlKey && !event.altKey && !event.metaKey) {
      entry.current?.focus();
    }
  }

  return (
    <nav aria-label={title} className="flex h-full flex-col" onKeyDown={move}>
      <div className="flex items-center gap-2 border-b border-hair-strong px-3 py-1.5">
        <input
          ref={entry}
          className="entry"
          aria-label={`Filter ${title.toLowerCase()}`}
          placeholder="Type to filter"
          value={filter}
          onChange={(e) => setFilter(e.target.value)}
        />
        <span role="status" className="text-[12px] whitespace-nowrap text-quiet">
          {shown.length === rows.length ? rows.length : `${shown.length} of ${rows.length}`}
        </span>
      </div>
      <ul ref={list} className="min-h-0 flex-1 overflow-y-auto">
        {shown.map((r) => (
          <li key={r.key}>
            <Link
              to={r.to}
              title={r.words}
              aria-current={r.key === current ? 'page' : undefined}
              className="block border-b border-hair px-3 py-1 hover:bg-act-wash aria-[current=page]:border-l-4 aria-[current=page]:border-l-act aria-[current=page]:bg-sheet aria-[current=page]:pl-2"
            >
              {r.body}
            </Link>
          </li>
        ))}
        {shown.length === 0 && (
          <li className="px-3 py-4 text-quiet">
            {rows.length === 0 ? empty : 'Nothing matches the filter.'}
          </li>
        )}
      </ul>
      {foot && <div className="border-t border-hair px-3 py-2">{foot}</div>}
    </nav>
  );
}
