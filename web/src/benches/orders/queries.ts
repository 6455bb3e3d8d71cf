/** What the orders bench asks the server for. */

import { queryOptions } from '@tanstack/react-query';
import { api, data } from '../../api/http';
import type { components } from '../../api/schema';

export type OrderInput = components['schemas']['OrderInputOut'];
export type Bridge = components['schemas']['BridgeOut'];
export type Cause = components['schemas']['CauseOut'];
export type Posting = components['schemas']['PostingOut'];

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
