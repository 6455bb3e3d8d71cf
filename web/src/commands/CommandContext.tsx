import { createContext, type ReactNode, useCallback, useContext, useMemo, useState } from 'react';
import { formOf } from './form';
import type { Typed } from './inputs';

export interface Started {
  name: string;
  given: Typed;
  /** changes with each start, so that a form begins anew */
  run: number;
  /** what had the focus, to give it back */
  from: Element | null;
}

interface Commands {
  started: Started | null;
  start: (name: string, given?: Typed) => void;
  end: () => void;
}

const Context = createContext<Commands | null>(null);
let runs = 0;

/** Keeps the one command in hand. */
export function CommandProvider({ children }: { children: ReactNode }) {
  const [started, setStarted] = useState<Started | null>(null);
  const start = useCallback((name: string, given: Typed = {}) => {
    const from = document.activeElement;
    setStarted({ name, given: { ...formOf(name)?.start, ...given }, run: ++runs, from });
  }, []);
  const end = useCallback(() => {
    setStarted((was) => {
      if (was?.from instanceof HTMLElement) was.from.focus();
      return null;
    });
  }, []);
  const value = useMemo(() => ({ started, start, end }), [started, start, end]);
  return <Context value={value}>{children}</Context>;
}

export function useCommands(): Commands {
  const found = useContext(Context);
  if (!found) throw new Error('useCommands outside CommandProvider');
  return found;
}
