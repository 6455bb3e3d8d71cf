import { useEffect, useState } from 'react';

const PAUSE = 300;

/** Return a value once it has rested for a moment. */
export function usePaused(value: string): string {
  const [paused, setPaused] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setPaused(value), PAUSE);
    return () => clearTimeout(timer);
  }, [value]);
  return paused;
}
