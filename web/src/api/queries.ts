import { infiniteQueryOptions, keepPreviousData, queryOptions } from '@tanstack/react-query';
import { api, data, keepToken } from './http';
import { isQuantity } from '../lib/decimal';
import type { components } from './schema';

export type Me = components['schemas']['Me'];
export type Job = components['schemas']['JobOut'];
export type Order = components['schemas']['OrderOut'];
export type OrderRow = components['schemas']['OrderRow'];
export type Tree = components['schemas']['TreeOut'];
export type TreeRow = components['schemas']['TreeRow'];
export type DerivationRow = components['schemas']['DerivationRow'];
export type Found = components['schemas']['Found'];
export type Consequences = components['schemas']['Consequences'];
export type ComparedOut = components['schemas']['ComparedOut'];
export type Compared = components['schemas']['ComparedRow'];

export const meOptions = () =>
  queryOptions({
    queryKey: ['me'],
    queryFn: async ({ signal }) => keepToken(await data(api.GET('/api/me', { signal }))),
    staleTime: Infinity,
  });

export const commandsOptions = () =>
  queryOptions({
    queryKey: ['commands'],
    queryFn: ({ signal }) => data(api.GET('/api/commands', { signal })),
    staleTime: Infinity,
  });

export const basicsOptions = () =>
  queryOptions({
    queryKey: ['basics'],
    queryFn: ({ signal }) => data(api.GET('/api/basics', { signal })),
  });

/** Return where the next page of a list begins that the server filters; undefined at its end. */
function nextPage<T extends { found: number; rows: unknown[] }>(last: T, all: T[]): number | undefined {
  const shown = all.reduce((sum, page) => sum + page.rows.length, 0);
  return shown < last.found ? shown : undefined;
}

export const itemsOptions = (q: string) =>
  infiniteQueryOptions({
    queryKey: ['items', 'page', q],
    initialPageParam: 0,
    placeholderData: keepPreviousData,
    getNextPageParam: nextPage,
    queryFn: ({ signal, pageParam }) => data(api.GET('/api/items', { params: { query: { q, skip: pageParam } }, signal })),
  });

/** Items of some codes; what there is not is left out. */
export const namedItemsOptions = (codes: string[]) =>
  queryOptions({
    queryKey: ['items', 'named', codes],
    enabled: codes.length > 0,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      const parts = Array.from({ length: Math.ceil(codes.length / 200) }, (_, n) => codes.slice(n * 200, (n + 1) * 200));
      const found = await Promise.all(
        parts.map((part) =>
          data(api.GET('/api/items', { params: { query: { codes: part.join('\t'), limit: 200 } }, signal })),
        ),
      );
      return found.flatMap((page) => page.rows);
    },
  });

export const workCentersOptions = () =>
  queryOptions({
    queryKey: ['work-centers'],
    queryFn: ({ signal }) => data(api.GET('/api/work-centers', { signal })),
  });

export const treeOptions = (code: string, revision = '') =>
  queryOptions({
    queryKey: ['items', code, 'tree', revision],
    queryFn: ({ signal }) =>
      data(api.GET('/api/items/{code}/tree', { params: { path: { code }, query: { revision } }, signal })),
  });

export const treeDerivationOptions = (code: string, revision: string, row: string, figure: 'cost' | 'need' = 'cost') =>
  queryOptions({
    queryKey: ['items', code, 'tree', revision, row, figure],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/items/{code}/tree/derivation', {
          params: { path: { code }, query: { row, revision, figure } },
          signal,
        }),
      ),
  });

export const peekOptions = (code: string) =>
  queryOptions({
    queryKey: ['items', code, 'peek'],
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}/peek', { params: { path: { code } }, signal })),
  });

export const ownUnitsOptions = (code: string) =>
  queryOptions({
    queryKey: ['items', code, 'units'],
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}/units', { params: { path: { code } }, signal })),
  });

export const calendarsOptions = () =>
  queryOptions({
    queryKey: ['calendars'],
    queryFn: ({ signal }) => data(api.GET('/api/calendars', { signal })),
  });

export const ordersOptions = (states: string, q: string) =>
  infiniteQueryOptions({
    queryKey: ['orders', 'page', states, q],
    initialPageParam: 0,
    placeholderData: keepPreviousData,
    getNextPageParam: nextPage,
    queryFn: ({ signal, pageParam }) =>
      data(api.GET('/api/orders', { params: { query: { states, q, skip: pageParam } }, signal })),
  });

/** What has the words, a few of each kind; of one kind where it is named. */
export const findOptions = (q: string, kind = '') =>
  queryOptions({
    queryKey: ['find', kind, q],
    enabled: q.trim() !== '',
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(api.GET('/api/find', { params: { query: { q, kind } }, signal })),
  });

export const orderOptions = (number: number) =>
  queryOptions({
    queryKey: ['orders', number],
    queryFn: ({ signal }) =>
      data(api.GET('/api/orders/{number}', { params: { path: { number } }, signal })),
  });

export const labourGradesOptions = () =>
  queryOptions({
    queryKey: ['labour-grades'],
    queryFn: ({ signal }) => data(api.GET('/api/labour-grades', { signal })),
  });

export const partnersOptions = () =>
  queryOptions({
    queryKey: ['partners'],
    queryFn: ({ signal }) => data(api.GET('/api/partners', { signal })),
  });

/** Where a drawing or picture of an item is found. */
export const documentPath = (code: string, name: string) =>
  `/api/items/${encodeURIComponent(code)}/documents/${encodeURIComponent(name)}`;

export const jobOptions = (number: number) =>
  queryOptions({
    queryKey: ['jobs', number],
    queryFn: ({ signal }) => data(api.GET('/api/jobs/{number}', { params: { path: { number } }, signal })),
  });

export const costSetsOptions = () =>
  queryOptions({
    queryKey: ['cost-sets'],
    queryFn: ({ signal }) => data(api.GET('/api/cost-sets', { signal })),
  });

export const sessionsOptions = () =>
  queryOptions({
    queryKey: ['sessions'],
    queryFn: ({ signal }) => data(api.GET('/api/me/sessions', { signal })),
  });

export const factorOptions = () =>
  queryOptions({
    queryKey: ['second factor'],
    queryFn: ({ signal }) => data(api.GET('/api/me/second-factor', { signal })),
    staleTime: Infinity,
    gcTime: 0,
  });

export const termsOptions = (item: string, quantity: string, customer: string, price: string) =>
  queryOptions({
    queryKey: ['planning', 'terms', item, quantity, customer, price],
    placeholderData: keepPreviousData,
    retry: false, // what is half typed is no item yet
    enabled: item !== '' && isQuantity(quantity),
    queryFn: ({ signal }) => data(api.GET('/api/plan/terms/{item}', { params: { path: { item }, query: { quantity, customer, ...(price && { price }) } }, signal })),
  });
