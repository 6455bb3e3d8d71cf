import { useQuery } from '@tanstack/react-query';
import { commandsOptions } from '../api/queries';

/** Return the names of the commands that the signed-in person may start. */
export function useMay(): ReadonlySet<string> {
  return new Set(useQuery(commandsOptions()).data?.map((c) => c.name));
}
