import { useVirtualizer } from '@tanstack/react-virtual';
import { type KeyboardEvent, type ReactNode, useEffect, useRef } from 'react';
import { Link } from 'react-router';

/** the height of a row: two lines of text */
const ROW = 50;

export interface QueueRow {
  key: string;
  to: string;
  /** what it is, in full */
  words: string;
  body: ReactNode;
}

/** What is waiting at a bench: arrows move, Enter opens, typing filters, and it says how many there are. */
export function Queue({
  title,
  rows,
  found,
  whole,
  filter,
  onFilter,
  onEnd,
  current,
  empty,
  foot,
}: {
  title: string;
  /** those that were fetched */
  rows: QueueRow[];
  /** how many match the filter, and how many there are */
  found: number;
  whole: number;
  filter: string;
  onFilter: (filter: string) => void;
  /** told when the last fetched row comes near */
  onEnd: () => void;
  current: string | undefined;
  empty: ReactNode;
  foot?: ReactNode;
}) {
  const entry = useRef<HTMLInputElement>(null);
  const list = useRef<HTMLDivElement>(null);
  const wanted = useRef<number | null>(null);
  const shown = rows;
  // oxlint-disable-next-line react/incompatible-library -- nothing here is compiled by the React compiler
  const virtual = useVirtualizer({
    count: shown.length,
    getScrollElement: () => list.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  const last = virtual.getVirtualItems().at(-1)?.index ?? 0;
  useEffect(() => {
    if (last >= rows.length - 1 && rows.length < found) onEnd();
  }, [last, rows.length, found, onEnd]);
  const at = shown.findIndex((r) => r.key === current);
  useEffect(() => {
    if (at >= 0) virtual.scrollToIndex(at, { align: 'auto' });
  }, [virtual, at]);
  useEffect(() => {
    if (wanted.current === null) return;
    const link = list.current?.querySelector<HTMLElement>(`[data-row="${wanted.current}"]`);
    if (link) {
      wanted.current = null;
      link.focus({ preventScroll: true });
    }
  });

  function focusRow(n: number) {
    wanted.current = Math.min(n, shown.length - 1);
    virtual.scrollToIndex(wanted.current, { align: 'auto' });
    list.current?.querySelector<HTMLElement>(`[data-row="${wanted.current}"]`)?.focus({ preventScroll: true });
  }

  function move(event: KeyboardEvent) {
    const link = document.activeElement?.closest<HTMLElement>('[data-row]');
    const from = link ? Number(link.dataset['row']) : -1;
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      event.preventDefault();
      const next = event.key === 'ArrowDown' ? from + 1 : from - 1;
      if (next < 0) entry.current?.focus();
      else focusRow(next);
    } else if (from >= 0 && event.key.length === 1 && !event.ctrlKey && !event.altKey && !event.metaKey) {
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
          onChange={(e) => onFilter(e.target.value)}
        />
        <span role="status" className="text-[12px] whitespace-nowrap text-quiet">
          {found === whole ? whole : `${found} of ${whole}`}
        </span>
      </div>
      <div ref={list} className="min-h-0 flex-1 overflow-y-auto">
        {shown.length === 0 && (
          <p className="px-3 py-4 text-quiet">{whole === 0 ? empty : 'Nothing matches the filter.'}</p>
        )}
        <ul className="relative" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((v) => {
            const r = shown[v.index];
            return (
              r && (
                <li key={r.key} className="absolute inset-x-0 top-0" style={{ transform: `translateY(${v.start}px)`, height: ROW }}>
                  <Link
                    to={r.to}
                    data-row={v.index}
                    title={r.words}
                    aria-current={r.key === current ? 'page' : undefined}
                    className="block h-full border-b border-hair px-3 py-1 hover:bg-act-wash aria-[current=page]:border-l-4 aria-[current=page]:border-l-act aria-[current=page]:bg-sheet aria-[current=page]:pl-2"
                  >
                    {r.body}
                  </Link>
                </li>
              )
            );
          })}
        </ul>
      </div>
      {foot && <div className="border-t border-hair px-3 py-2">{foot}</div>}
    </nav>
  );
}
