import { useCallback, useState } from 'react';

interface Past<T> {
  states: T[];
  at: number;
}

const MOST = 200;

/** State that can be taken back and done again, a step for each change. */
export function useUndo<T>(begin: () => T) {
  const [past, setPast] = useState<Past<T>>(() => ({ states: [begin()], at: 0 }));
  const set = useCallback(
    (change: (was: T) => T) =>
      setPast((p) => {
        const next = change(p.states[p.at] as T);
        const states = [...p.states.slice(Math.max(0, p.at + 1 - MOST), p.at + 1), next];
        return { states, at: states.length - 1 };
      }),
    [],
  );
  const undo = useCallback(() => setPast((p) => ({ ...p, at: Math.max(0, p.at - 1) })), []);
  const redo = useCallback(() => setPast((p) => ({ ...p, at: Math.min(p.states.length - 1, p.at + 1) })), []);
  return { state: past.states[past.at] as T, set, undo, redo, canUndo: past.at > 0, canRedo: past.at < past.states.length - 1 };
}
