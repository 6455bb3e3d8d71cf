import { useQuery } from '@tanstack/react-query';
import { commandsOptions, meOptions } from '../api/queries';

/** Return the names of the commands that the signed-in person may start. */
export function useMay(): ReadonlySet<string> {
  return new Set(useQuery(commandsOptions()).data?.map((c) => c.name));
}

/** Return what the signed-in person may read beyond what everybody reads. */
export function useReads(): { costs: boolean; margins: boolean; persons: boolean } {
  const me = useQuery(meOptions()).data;
  const roles = new Set(me?.roles);
  return {
    costs: me?.sees_costs ?? false,
    margins: roles.has('administrator') || roles.has('controller') || roles.has('cost accountant'),
    persons: roles.has('administrator'),
  };
}
