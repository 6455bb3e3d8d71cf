import type { UseQueryResult } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { ApiError, type Problem } from '../api/http';
import { Button } from './Button';

/** What happened, why, what to do; with a button where there is one. */
export function ProblemNote({ problem, act }: { problem: Problem; act?: ReactNode }) {
  return (
    <div role="alert" className="border-l-4 border-unfavourable bg-sheet px-3 py-2">
      <p className="font-semibold">{problem.title}</p>
      <p>{problem.detail}</p>
      <p className="text-quiet">{problem.fix}</p>
      {act && <div className="mt-2">{act}</div>}
    </div>
  );
}

/** Where there is nothing to show: why, or what to do; a page that is nothing else has a title to be told by. */
export function Empty({ title, children }: { title?: string; children: ReactNode }) {
  return (
    <div className="max-w-[60ch] px-4 py-6 text-quiet">
      {title && <h1 className="sr-only">{title}</h1>}
      {children}
    </div>
  );
}

/** Show a query in its states: loading, refused, data. */
export function Loaded<T>({
  query,
  children,
}: {
  query: UseQueryResult<T>;
  children: (data: T) => ReactNode;
}) {
  if (query.data !== undefined) return <>{children(query.data)}</>;
  if (query.error) {
    const { error } = query;
    if (error instanceof ApiError) {
      return (
        <div className="max-w-[70ch] p-4">
          <ProblemNote
            problem={error.problem}
            act={<Button onClick={() => void query.refetch()}>Try again</Button>}
          />
        </div>
      );
    }
    throw error;
  }
  if (query.failureReason instanceof ApiError) {
    return (
      <div className="max-w-[70ch] p-4">
        <ProblemNote problem={query.failureReason.problem} />
        <p role="status" className="mt-2 text-quiet">
          Tried again every few seconds.
        </p>
      </div>
    );
  }
  return (
    <p role="status" className="px-4 py-6 text-quiet">
      Loading
    </p>
  );
}
