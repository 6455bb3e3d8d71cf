import type { ReactNode } from 'react';
import { Link, useLocation } from 'react-router';

export interface FrameProps {
  title: ReactNode;
  words: ReactNode;
  acts?: ReactNode;
  children: ReactNode;
}

/** A page of a bench without a queue: what it is, its acts, and the way to the bench's others. */
export function BenchFrame({ pages, title, words, acts, children }: FrameProps & { pages: readonly (readonly [to: string, name: string])[] }) {
  const at = useLocation().pathname;
  return (
    <main className="h-full overflow-y-auto">
      <article>
        <header className="flex flex-wrap items-start justify-between gap-x-6 gap-y-1 px-4 pt-3 pb-2">
          <div className="min-w-0">
            <h1>{title}</h1>
            <p className="text-quiet">{words}</p>
          </div>
          <div className="flex flex-wrap items-center gap-x-4 gap-y-1.5">
            {pages
              .filter(([to]) => to !== at)
              .map(([to, name]) => (
                <Link key={to} className="quiet-link text-act" to={to}>
                  {name}
                </Link>
              ))}
            {acts}
          </div>
        </header>
        {children}
      </article>
    </main>
  );
}
