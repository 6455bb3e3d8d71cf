import type { ReactNode } from 'react';
import { Link, useLocation } from 'react-router';

const pages = [
  ['/cost/across', 'Across orders'],
  ['/cost/closing', 'To close'],
  ['/cost/late', 'Late cost'],
  ['/cost/months', 'Months'],
  ['/cost/books', 'Books'],
  ['/cost/actual', 'Actual cost'],
  ['/cost/delivered', 'Delivered'],
  ['/cost/standards', 'Standards'],
  ['/cost/margin', 'Margin'],
] as const;

/** A page of the cost bench: the way to the others, what it is, its acts. */
export function CostFrame({ title, words, acts, children }: { title: ReactNode; words: ReactNode; acts?: ReactNode; children: ReactNode }) {
  const at = useLocation().pathname;
  return (
    <article className="md:min-w-[640px]">
      <nav aria-label="Cost" className="flex flex-wrap gap-x-4 border-b border-hair px-4 py-1.5">
        {pages.map(([to, name]) => {
          const isHere = at === to || at.startsWith(`${to}/`) || (at === '/cost' && to === '/cost/across');
          return (
            <Link key={to} to={to} aria-current={isHere ? 'page' : undefined} className={isHere ? 'font-semibold no-underline' : 'quiet-link text-act'}>
              {name}
            </Link>
          );
        })}
      </nav>
      <header className="flex flex-wrap items-start justify-between gap-x-6 gap-y-1 px-4 pt-3 pb-2">
        <div className="min-w-0">
          <h1>{title}</h1>
          <p className="max-w-[80ch] text-quiet">{words}</p>
        </div>
        <div className="flex flex-wrap items-center gap-x-4 gap-y-1.5">{acts}</div>
      </header>
      {children}
    </article>
  );
}
