import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useState, useSyncExternalStore } from 'react';
import { shows } from './told';

/** One thing that somebody changed, as the server tells it. */
export interface Change {
  change: number;
  title: string;
  person: string;
  things: string[];
}

type Listener = (change: Change) => void;
const listeners = new Set<Listener>();
let state: 'live' | 'connecting' = 'connecting';
const watchers = new Set<() => void>();

function setState(next: typeof state) {
  state = next;
  for (const tell of watchers) tell();
}

/** Keep a connection for changes open; what shows a thing that was changed fetches anew. */
export function useLiveUpdates(isSignedIn: boolean) {
  const client = useQueryClient();
  useEffect(() => {
    if (!isSignedIn) return undefined;
    let source: EventSource;
    let again: ReturnType<typeof setTimeout>;
    const fetchAnew = (things: string[]) => client.invalidateQueries({ predicate: (q) => shows(q.queryKey, things) });
    function open() {
      source = new EventSource('/api/events');
      source.addEventListener('ready', () => {
        setState('live');
        void fetchAnew([]);
      });
      source.addEventListener('message', (event: MessageEvent<string>) => {
        const told = JSON.parse(event.data) as Change | { job: number };
        if ('job' in told) {
          void client.invalidateQueries({ queryKey: ['jobs'] });
          return;
        }
        for (const listener of listeners) listener(told);
        void fetchAnew(told.things);
      });
      source.addEventListener('error', () => {
        setState('connecting');
        if (source.readyState !== EventSource.CLOSED) return;
        // refused: the database is away, or the session has ended
        void client.invalidateQueries({ queryKey: ['me'] });
        again = setTimeout(open, 2000);
      });
    }
    open();
    return () => {
      clearTimeout(again);
      source.close();
    };
  }, [client, isSignedIn]);
}

export function useConnection(): 'live' | 'connecting' {
  return useSyncExternalStore(
    (tell) => {
      watchers.add(tell);
      return () => watchers.delete(tell);
    },
    () => state,
  );
}

/** Return the last change that touched one of the things a preview saw, since it was made. */
export function useChangeOf(things: string[], since: number): Change | null {
  const [seen, setSeen] = useState<{ change: Change; since: number } | null>(null);
  const key = things.join('|');
  useEffect(() => {
    const watched = new Set(key.split('|'));
    const listener: Listener = (change) => {
      if (change.things.length === 0 || change.things.some((t) => watched.has(t))) {
        setSeen({ change, since });
      }
    };
    listeners.add(listener);
    return () => {
      listeners.delete(listener);
    };
  }, [key, since]);
  return seen && seen.since === since ? seen.change : null;
}
