/** What was scanned and has not arrived yet: kept in the browser, sent in order, told apart by key. */

import type { QueryClient } from '@tanstack/react-query';
import { useSyncExternalStore } from 'react';
import { ApiError, command, passes, type Problem } from '../../api/http';
import type { CommandName } from '../../commands/inputs';

export interface Scan {
  /** the same scan sent twice acts once */
  key: string;
  list: number;
  name: CommandName;
  given: Record<string, unknown>;
  words: string;
  /** what the server refused; it waits for a decision and lets those behind it pass */
  problem?: Problem;
}

const STORE = 'scans that wait';
const AGAIN = 2000;
let waiting: readonly Scan[] = read();
let isSending = false;
let isLost = false;
let snapshot = { waiting, isLost };
const watchers = new Set<() => void>();

function read(): Scan[] {
  try {
    return JSON.parse(localStorage.getItem(STORE) ?? '[]') as Scan[];
  } catch {
    return [];
  }
}

function keep(next: readonly Scan[]) {
  waiting = next;
  localStorage.setItem(STORE, JSON.stringify(next));
  tell();
}

function tell() {
  snapshot = { waiting, isLost };
  for (const watcher of watchers) watcher();
}

/** Add a scan and send what waits. */
export function send(client: QueryClient, scan: Omit<Scan, 'key'>) {
  keep([...waiting, { ...scan, key: crypto.randomUUID() }]);
  void flush(client);
}

/** Forget a scan that was refused. */
export function forget(key: string) {
  keep(waiting.filter((s) => s.key !== key));
}

/** Send a refused scan once more, otherwise: it is another scan. */
export function again(client: QueryClient, scan: Scan, given: Record<string, unknown>) {
  forget(scan.key);
  send(client, { list: scan.list, name: scan.name, given: { ...scan.given, ...given }, words: scan.words });
}

/** Send what waits, the first scanned first, until all has arrived or the connection is lost. */
export async function flush(client: QueryClient): Promise<void> {
  if (isSending) return;
  isSending = true;
  try {
    for (let next = waiting.find((s) => !s.problem); next; next = waiting.find((s) => !s.problem)) {
      const { key, name, given } = next;
      try {
        await command(name, given, { key });
        isLost = false;
        // the list is asked for again before the scan is forgotten, so that its line never looks open once more
        await Promise.race([client.invalidateQueries({ queryKey: ['stores', 'picks'] }), pause(AGAIN)]);
        keep(waiting.filter((s) => s.key !== key));
      } catch (error) {
        if (!(error instanceof ApiError)) throw error;
        if (passes(error)) {
          isLost = true;
          tell();
          setTimeout(() => void flush(client), AGAIN);
          return;
        }
        keep(waiting.map((s) => (s.key === key ? { ...s, problem: error.problem } : s)));
      }
    }
  } finally {
    isSending = false;
  }
}

const pause = (time: number) => new Promise((done) => setTimeout(done, time));

export function useScans(list: number): { waiting: Scan[]; isLost: boolean } {
  const found = useSyncExternalStore(
    (watcher) => {
      watchers.add(watcher);
      return () => watchers.delete(watcher);
    },
    () => snapshot,
  );
  return { waiting: found.waiting.filter((s) => s.list === list), isLost: found.isLost };
}
