/** What the planning bench asks the server for. */

import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import { api, data } from '../../api/http';
import type { components, paths } from '../../api/schema';
import { isQuantity } from '../../lib/decimal';

type Named = components['schemas'];
export type Plan = Named['PlanOut'];
export type PlanRun = Named['PlanRunOut'];
export type Proposal = Named['ProposalRow'];
export type PlannedItem = Named['PlannedItem'];
export type Advice = Named['AdviceRow'];
export type Compared = Named['Compared'];
export type Endangered = Named['EndangeredRow'];
export type PlannedTransfer = Named['PlannedTransferRow'];
export type PlannedLoads = Named['PlannedLoads'];
export type PlannedWeek = Named['PlannedWeek'];
export type Gathered = Named['Gathered'];
export type GatheredItem = Named['GatheredItem'];
export type Chain = Named['PegChain'];
export type ChainLink = Named['PegLink'];
type ChainSource = NonNullable<NonNullable<paths['/api/plan/chains/{item}']['get']['parameters']['query']>['source']>;
export const LISTS = ['all', 'make', 'buy', 'late', 'decided'] as const;
export type List = (typeof LISTS)[number];
export const PAGE = 100;

export const planOptions = () =>
  queryOptions({
    queryKey: ['planning', 'plan'],
    queryFn: ({ signal }) => data(api.GET('/api/plan', { signal })),
  });

export interface Chosen {
  which: List;
  filter: string;
  /** what is made there, and what that customer's order waits for; "" and 0: all */
  work_center: string;
  serves: number;
  skip: number;
}

export const proposalsOptions = (chosen: Chosen) =>
  queryOptions({
    queryKey: ['planning', 'proposals', chosen],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(api.GET('/api/plan/proposals', { params: { query: { ...chosen, limit: PAGE } }, signal })),
  });

/** Customers' orders that are open, what is due first before the others: proposals are chosen by them. */
export const openOrdersOptions = () =>
  queryOptions({
    queryKey: ['selling', 'orders', 'open', 'to choose'],
    queryFn: ({ signal }) => data(api.GET('/api/customer-orders', { params: { query: { which: 'open', limit: PAGE } }, signal })),
  });

export const adviceOptions = () =>
  queryOptions({
    queryKey: ['planning', 'advice'],
    queryFn: ({ signal }) => data(api.GET('/api/plan/advice', { signal })),
  });

export const endangeredOptions = () =>
  queryOptions({
    queryKey: ['planning', 'endangered'],
    queryFn: ({ signal }) => data(api.GET('/api/plan/endangered', { signal })),
  });

export const plannedLoadsOptions = (run: number) =>
  queryOptions({
    queryKey: ['planning', 'loads', run],
    queryFn: ({ signal }) => data(api.GET('/api/plan/loads', { params: { query: { run } }, signal })),
  });

export const plannedTransfersOptions = () =>
  queryOptions({
    queryKey: ['planning', 'transfers'],
    queryFn: ({ signal }) => data(api.GET('/api/plan/transfers', { signal })),
  });

export const gatheredOptions = (until: string) =>
  queryOptions({
    queryKey: ['planning', 'purchases', until],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(api.GET('/api/plan/purchases', { params: { query: until ? { until } : {} }, signal })),
  });

export const plannedOptions = (code: string) =>
  queryOptions({
    queryKey: ['planning', 'items', code],
    queryFn: ({ signal }) => data(api.GET('/api/plan/items/{code}', { params: { path: { code } }, signal })),
  });

export const promiseOptions = (item: string, quantity: string) =>
  queryOptions({
    queryKey: ['planning', 'promise', item, quantity],
    placeholderData: keepPreviousData,
    enabled: isQuantity(quantity),
    queryFn: ({ signal }) => data(api.GET('/api/plan/promise/{item}', { params: { path: { item }, query: { quantity } }, signal })),
  });

export interface ChainOf {
  way: 'up' | 'down';
  source: ChainSource;
  number: number;
  line: number;
  late: number;
}

/** Return what a chain's address asks for. */
export function chainOf(query: URLSearchParams): ChainOf {
  const whole = (name: string) => Math.max(0, Math.trunc(Number(query.get(name) ?? 0)) || 0);
  return {
    way: query.get('way') === 'up' ? 'up' : 'down',
    source: (query.get('source') ?? 'stock') as ChainSource, // the server says what there is
    number: whole('number'),
    line: whole('line'),
    late: Math.min(300, whole('late')),
  };
}

export const chainOptions = (item: string, of: ChainOf) =>
  queryOptions({
    queryKey: ['planning', 'chains', item, of],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(api.GET('/api/plan/chains/{item}', { params: { path: { item }, query: of }, signal })),
  });

export const comparedOptions = (run: number) =>
  queryOptions({
    queryKey: ['planning', 'compare', run],
    queryFn: ({ signal }) => data(api.GET('/api/plan/compare/{run}', { params: { path: { run } }, signal })),
  });
