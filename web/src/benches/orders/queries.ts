/** What the orders bench asks the server for. */

import { infiniteQueryOptions, keepPreviousData, queryOptions } from '@tanstack/react-query';
import { api, data } from '../../api/http';
import type { components } from '../../api/schema';

export type OrderInput = components['schemas']['OrderInputOut'];
export type Bridge = components['schemas']['BridgeOut'];
export type Cause = components['schemas']['CauseOut'];
export type Posting = components['schemas']['PostingOut'];

export type Life = components['schemas']['LifeOut'];

/** What an order was allowed and charged after each act that posted to it. */
export const lifeOptions = (number: number) =>
  queryOptions({
    queryKey: ['orders', number, 'life'],
    queryFn: ({ signal }) => data(api.GET('/api/orders/{number}/life', { params: { path: { number } }, signal })),
  });

/** What late cost did to an order. */
export const correctionsOptions = (number: number) =>
  queryOptions({
    queryKey: ['orders', number, 'corrections'],
    queryFn: ({ signal }) => data(api.GET('/api/orders/{number}/corrections', { params: { path: { number } }, signal })),
  });

/** Who looks after an order's variance, and what was found when its causes were there before. */
export const followUpsOptions = (number: number) =>
  queryOptions({
    queryKey: ['orders', number, 'follow-ups'],
    queryFn: ({ signal }) => data(api.GET('/api/orders/{number}/follow-ups', { params: { path: { number } }, signal })),
  });

export const bridgeOptions = (number: number) =>
  queryOptions({
    queryKey: ['orders', number, 'bridge'],
    queryFn: ({ signal }) =>
      data(api.GET('/api/orders/{number}/bridge', { params: { path: { number } }, signal })),
  });

export const asBuiltOptions = (number: number) =>
  queryOptions({
    queryKey: ['orders', number, 'as-built'],
    queryFn: ({ signal }) =>
      data(api.GET('/api/orders/{number}/as-built', { params: { path: { number } }, signal })),
  });

/** Two orders of an item as they were built. */
export const comparedOrdersOptions = (number: number, other: number) =>
  queryOptions({
    queryKey: ['orders', number, 'compare', other],
    queryFn: ({ signal }) =>
      data(api.GET('/api/orders/{number}/compare/{other}', { params: { path: { number, other } }, signal })),
  });

export type Ready = components['schemas']['ReadyOut'];
export type ReadyRow = components['schemas']['ReadyRow'];

/** What could be released, due within some weeks. */
export const readyOptions = (weeks: number) =>
  queryOptions({
    queryKey: ['orders', 'ready', weeks],
    queryFn: ({ signal }) => data(api.GET('/api/orders/ready', { params: { query: { weeks } }, signal })),
  });

/** How many of an item can be built of what is free. */
export const buildableOptions = (code: string) =>
  queryOptions({
    queryKey: ['orders', 'buildable', code],
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}/buildable', { params: { path: { code } }, signal })),
  });

export const postingOptions = (number: number) =>
  queryOptions({
    queryKey: ['postings', number],
    queryFn: ({ signal }) =>
      data(api.GET('/api/postings/{number}', { params: { path: { number } }, signal })),
  });

/** How the need of one of an order's inputs came about. */
export const needOptions = (number: number, row: number) =>
  queryOptions({
    queryKey: ['orders', number, 'need', row],
    queryFn: ({ signal }) =>
      data(api.GET('/api/orders/{number}/inputs/{row}/need', { params: { path: { number, row } }, signal })),
  });

export type OrderTree = components['schemas']['OrderTreeOut'];
export type OrderTreeRow = components['schemas']['OrderTreeRow'];
export type Tranche = components['schemas']['TrancheOut'];
export type TableRow = components['schemas']['TableRow'];
type TableOut = components['schemas']['TableOut'];
export type TableSums = components['schemas']['TableSums'];

/** All orders of the tree that an order belongs to. */
export const orderTreeOptions = (number: number) =>
  queryOptions({
    queryKey: ['orders', number, 'tree'],
    queryFn: ({ signal }) => data(api.GET('/api/orders/{number}/tree', { params: { path: { number } }, signal })),
  });

/** What is released, picked, staged and issued of an order. */
export const tranchesOptions = (number: number) =>
  queryOptions({
    queryKey: ['orders', number, 'parts'],
    queryFn: ({ signal }) => data(api.GET('/api/orders/{number}/parts', { params: { path: { number } }, signal })),
  });

/** The made components of an item, over all levels, with what a quantity needs of each. */
export const madeComponentsOptions = (code: string, quantity: string) =>
  queryOptions({
    queryKey: ['items', code, 'made components', quantity],
    enabled: code !== '',
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}/made-components', { params: { path: { code }, query: { quantity: quantity || '1' } }, signal })),
  });

export const tableOptions = (where: string, sort: string) =>
  infiniteQueryOptions({
    queryKey: ['orders', 'table', where, sort],
    initialPageParam: 0,
    placeholderData: keepPreviousData,
    getNextPageParam: (last: TableOut, all: TableOut[]) => {
      const shown = all.reduce((sum, page) => sum + page.rows.length, 0);
      return shown < last.sums.orders ? shown : undefined;
    },
    queryFn: ({ signal, pageParam }) => data(api.GET('/api/orders/table', { params: { query: { where, sort, skip: pageParam } }, signal })),
  });

/** What marked orders come to. */
export const sumsOptions = (orders: readonly number[]) =>
  queryOptions({
    queryKey: ['orders', 'table sums', orders],
    enabled: orders.length > 0,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(api.GET('/api/orders/table/sums', { params: { query: { orders: orders.join(',') } }, signal })),
  });

export const viewsOptions = (page: string) =>
  queryOptions({
    queryKey: ['views', page],
    queryFn: ({ signal }) => data(api.GET('/api/views/{page}', { params: { path: { page } }, signal })),
  });

export type Timeline = components['schemas']['Timeline'];
export type TimelineRow = components['schemas']['TimelineRow'];

export const timelineOptions = (number: number) =>
  queryOptions({
    queryKey: ['orders', number, 'timeline'],
    // what is new stays marked as long as the page is open
    staleTime: Infinity,
    gcTime: 0,
    queryFn: ({ signal }) => data(api.GET('/api/orders/{number}/timeline', { params: { path: { number } }, signal })),
  });

/** Note up to where somebody has looked. */
export const sawTimeline = (number: number, entry: number) => data(api.POST('/api/orders/{number}/seen', { params: { path: { number } }, body: { entry } }));

/** Drawings and pictures of an order and of its operations. */
export const orderDocumentsOptions = (number: number) =>
  queryOptions({
    queryKey: ['orders', number, 'documents'],
    queryFn: ({ signal }) => data(api.GET('/api/orders/{number}/documents', { params: { path: { number } }, signal })),
  });

export const orderDocumentPath = (number: number, name: string) => `/api/orders/${number}/documents/${encodeURIComponent(name)}`;

/** Operations of an order that suppliers do. */
export const outsideOptions = (number: number) =>
  queryOptions({
    queryKey: ['orders', number, 'outside'],
    queryFn: ({ signal }) => data(api.GET('/api/orders/{number}/outside', { params: { path: { number } }, signal })),
  });
