import { useQuery } from '@tanstack/react-query';
import { useDeferredValue } from 'react';
import { findOptions } from '../api/queries';

type FoundKind = 'item' | 'made item' | 'bought item' | 'structure' | 'order';

/** What an entry may mean by what is typed so far: a few things of a kind, offered by the browser. */
export function FoundList({ id, kind, typed }: { id: string; kind: FoundKind; typed: string }) {
  const found = useQuery(findOptions(useDeferredValue(typed), kind));
  return (
    <datalist id={id}>
      {typed !== '' &&
        found.data?.map((f) => (
          <option key={f.code} value={f.code}>
            {kind === 'order' ? `${f.words} ${f.beside}` : f.words}
          </option>
        ))}
    </datalist>
  );
}
