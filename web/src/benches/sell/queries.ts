/** What the selling bench asks the server for. */

import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import { api, data } from '../../api/http';
import type { components } from '../../api/schema';

type Named = components['schemas'];
export type CustomerOrder = Named['CustomerOrderOut'];
export type CustomerLine = Named['CustomerLineOut'];
export const LISTS = ['open', 'offers', 'late', 'ended', 'all'] as const;
export type List = (typeof LISTS)[number];

export const customerOrdersOptions = (which: List, skip: number) =>
  queryOptions({
    queryKey: ['selling', 'orders', which, skip],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(api.GET('/api/customer-orders', { params: { query: { which, skip } }, signal })),
  });

export const customerOrderOptions = (number: number) =>
  queryOptions({
    queryKey: ['selling', 'orders', number],
    queryFn: ({ signal }) => data(api.GET('/api/customer-orders/{number}', { params: { path: { number } }, signal })),
  });

export const forecastsOptions = (skip: number) =>
  queryOptions({
    queryKey: ['selling', 'forecasts', skip],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(api.GET('/api/forecasts', { params: { query: { skip } }, signal })),
  });
