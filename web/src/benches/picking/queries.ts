/** What picking asks the server for. */

import { queryOptions } from '@tanstack/react-query';
import { api, data } from '../../api/http';
import type { components } from '../../api/schema';

export type PickListRow = components['schemas']['PickListRow'];
export type PickList = components['schemas']['PickListOut'];
export type PickLine = components['schemas']['PickLineOut'];
export type Carrier = components['schemas']['CarrierOut'];

export const pickListsOptions = (skip: number) =>
  queryOptions({
    queryKey: ['stores', 'picks', 'all', skip],
    queryFn: ({ signal }) => data(api.GET('/api/picks', { params: { query: { skip } }, signal })),
  });

export const pickListOptions = (number: number) =>
  queryOptions({
    queryKey: ['stores', 'picks', number],
    // a walk goes on where there is no connection
    gcTime: Infinity,
    queryFn: ({ signal }) => data(api.GET('/api/picks/{number}', { params: { path: { number } }, signal })),
  });

export const carriersOptions = (q: string, skip: number) =>
  queryOptions({
    queryKey: ['stores', 'carriers', q, skip],
    queryFn: ({ signal }) => data(api.GET('/api/stores/carriers', { params: { query: { q, skip } }, signal })),
  });

export const printerOptions = (skip: number) =>
  queryOptions({
    queryKey: ['printer', skip],
    queryFn: ({ signal }) => data(api.GET('/api/printer', { params: { query: { skip } }, signal })),
  });

/** What a code is that no line of the list knows. */
export const scanned = (code: string) => data(api.GET('/api/scan', { params: { query: { code } } }));
