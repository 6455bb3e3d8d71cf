/** What stores ask the server for. */

import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import { api, data } from '../../api/http';
import type { components } from '../../api/schema';

export type ItemStores = components['schemas']['ItemStoresOut'];
export type Piece = components['schemas']['PieceOut'];
export type Step = components['schemas']['FutureStepOut'];
export type Transfer = components['schemas']['TransferOut'];
export type CountOut = components['schemas']['CountOut'];

export const stockListOptions = (filter: string, site: string, skip: number) =>
  queryOptions({
    queryKey: ['stores', 'stock', filter, site, skip],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(api.GET('/api/stores/stock', { params: { query: { filter, site, skip } }, signal })),
  });

export const itemStoresOptions = (code: string) =>
  queryOptions({
    queryKey: ['stores', 'items', code],
    queryFn: ({ signal }) => data(api.GET('/api/stores/items/{code}', { params: { path: { code } }, signal })),
  });

export const lotOptions = (code: string, lot: string) =>
  queryOptions({
    queryKey: ['stores', 'items', code, 'lots', lot],
    queryFn: ({ signal }) => data(api.GET('/api/stores/items/{code}/lots/{lot}', { params: { path: { code, lot } }, signal })),
  });

export const transfersOptions = () =>
  queryOptions({
    queryKey: ['stores', 'transfers'],
    queryFn: ({ signal }) => data(api.GET('/api/stores/transfers', { signal })),
  });

export const countsOptions = () =>
  queryOptions({
    queryKey: ['stores', 'counts'],
    queryFn: ({ signal }) => data(api.GET('/api/stores/counts', { signal })),
  });

export const countOptions = (number: number) =>
  queryOptions({
    queryKey: ['stores', 'counts', number],
    queryFn: ({ signal }) => data(api.GET('/api/stores/counts/{number}', { params: { path: { number } }, signal })),
  });

export const worthOptions = (code: string) =>
  queryOptions({
    queryKey: ['stores', 'items', code, 'worth'],
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}/worth', { params: { path: { code } }, signal })),
  });
