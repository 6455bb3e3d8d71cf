/** What the planning bench asks the server for. */

import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import { api, data } from '../../api/http';
import type { components } from '../../api/schema';

type Named = components['schemas'];
export type Plan = Named['PlanOut'];
export type PlanRun = Named['PlanRunOut'];
export type Proposal = Named['ProposalRow'];
export type PlannedItem = Named['PlannedItem'];
export type Advice = Named['AdviceRow'];
export type Compared = Named['Compared'];
export const LISTS = ['all', 'make', 'buy', 'late', 'decided'] as const;
export type List = (typeof LISTS)[number];
export const PAGE = 100;

export const planOptions = () =>
  queryOptions({
    queryKey: ['planning', 'plan'],
    queryFn: ({ signal }) => data(api.GET('/api/plan', { signal })),
  });

export const proposalsOptions = (which: List, filter: string, skip: number) =>
  queryOptions({
    queryKey: ['planning', 'proposals', which, filter, skip],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(api.GET('/api/plan/proposals', { params: { query: { which, filter, skip, limit: PAGE } }, signal })),
  });

export const adviceOptions = () =>
  queryOptions({
    queryKey: ['planning', 'advice'],
    queryFn: ({ signal }) => data(api.GET('/api/plan/advice', { signal })),
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
    enabled: /^\d+(\.\d+)?$/.test(quantity) && !/^0*\.?0*$/.test(quantity),
    queryFn: ({ signal }) => data(api.GET('/api/plan/promise/{item}', { params: { path: { item }, query: { quantity } }, signal })),
  });

export const comparedOptions = (run: number) =>
  queryOptions({
    queryKey: ['planning', 'compare', run],
    queryFn: ({ signal }) => data(api.GET('/api/plan/compare/{run}', { params: { path: { run } }, signal })),
  });
