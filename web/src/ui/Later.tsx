import { type ComponentType, lazy, Suspense } from 'react';

/** Return a page whose script is fetched when it is first opened, so that the first load stays small. */
export function later<K extends string>(fetch: () => Promise<Record<K, ComponentType>>, name: K) {
  const Page = lazy<ComponentType>(async () => ({ default: (await fetch())[name] }));
  return (
    <Suspense fallback={<p className="px-4 py-6 text-quiet">One moment…</p>}>
      <Page />
    </Suspense>
  );
}
