/** What the cost bench asks the server for. */

import { queryOptions } from '@tanstack/react-query';
import { api, data } from '../../api/http';
import type { components } from '../../api/schema';

export type CostSet = components['schemas']['CostSetOut'];
export type Margins = components['schemas']['MarginsOut'];
export type Against = components['schemas']['AgainstOut'];
export type CostPart = components['schemas']['PartOut'];
export type ItemCost = components['schemas']['ItemCostOut'];
export type History = components['schemas']['HistoryOut'];
export type Outcome = components['schemas']['OutcomeOut'];
export type Account = components['schemas']['Account'];
export type CostIn = components['schemas']['CostIn'];

export type Across = components['schemas']['AcrossOut'];
export type AcrossRow = components['schemas']['AcrossRow'];
export type By = components['schemas']['By'];
export type Closing = components['schemas']['ClosingOut'];
export type LateCosts = components['schemas']['LateCostsOut'];
export type ChainRow = components['schemas']['ChainRowOut'];
export type Run = components['schemas']['RunOut'];
export type Month = components['schemas']['PeriodOut'];
export type MonthRow = components['schemas']['PeriodRow'];
export type Trial = components['schemas']['TrialOut'];

/** What a question across orders is asked by. */
export interface Asked {
  rows: By;
  columns: By;
  since: string;
  until: string;
  where: string;
}

const spanOf = ({ since, until }: Asked) => ({ ...(since && { since }), ...(until && { until }) });

export const acrossOptions = (asked: Asked) =>
  queryOptions({
    queryKey: ['orders', 'across', asked],
    queryFn: ({ signal }) =>
      data(api.GET('/api/variances', { params: { query: { rows: asked.rows, columns: asked.columns, where: asked.where, ...spanOf(asked) } }, signal })),
  });

export const acrossOrdersOptions = (asked: Asked) =>
  queryOptions({
    queryKey: ['orders', 'across', 'orders', asked.since, asked.until, asked.where],
    queryFn: ({ signal }) => data(api.GET('/api/variances/orders', { params: { query: { where: asked.where, ...spanOf(asked) } }, signal })),
  });

export const closingOptions = () =>
  queryOptions({ queryKey: ['orders', 'closing'], queryFn: ({ signal }) => data(api.GET('/api/closing', { signal })) });

export const lateCostsOptions = () =>
  queryOptions({ queryKey: ['orders', 'late-costs'], queryFn: ({ signal }) => data(api.GET('/api/late-costs', { signal })) });

export const chainOptions = (posting: number) =>
  queryOptions({
    queryKey: ['orders', 'late-costs', posting],
    queryFn: ({ signal }) => data(api.GET('/api/late-costs/{posting}', { params: { path: { posting } }, signal })),
  });

export const monthsOptions = () =>
  queryOptions({ queryKey: ['orders', 'months'], queryFn: ({ signal }) => data(api.GET('/api/periods', { signal })) });

export const monthOptions = (first: string) =>
  queryOptions({
    queryKey: ['orders', 'months', first],
    queryFn: ({ signal }) => data(api.GET('/api/periods/{first}', { params: { path: { first } }, signal })),
  });

/** Every balance compared with its postings; asked when somebody wants to know. */
export const verifiedOptions = () =>
  queryOptions({ queryKey: ['orders', 'verified'], queryFn: ({ signal }) => data(api.GET('/api/periods/verified', { signal })), enabled: false });

export const booksOptions = (since: string, until: string) =>
  queryOptions({
    queryKey: ['orders', 'books', since, until],
    queryFn: ({ signal }) => data(api.GET('/api/books', { params: { query: { ...(since && { since }), ...(until && { until }) } }, signal })),
  });

export const sheetOptions = (account: Account, since: string, until: string, skip: number) =>
  queryOptions({
    queryKey: ['orders', 'books', account, since, until, skip],
    queryFn: ({ signal }) =>
      data(api.GET('/api/books/{account}', { params: { path: { account }, query: { skip, ...(since && { since }), ...(until && { until }) } }, signal })),
  });

export type Actuals = components['schemas']['ActualsOut'];
export type Delivered = components['schemas']['DeliveredOut'];

/** What standard-costed items really cost in a month; '': in this one. */
export const actualsOptions = (month: string) =>
  queryOptions({
    queryKey: ['orders', 'actual-costs', month],
    queryFn: ({ signal }) => data(api.GET('/api/actual-costs', { params: { query: { ...(month && { month }) } }, signal })),
  });

/** Where what an item differs by in a month comes from. */
export const actualOptions = (item: string, month: string) =>
  queryOptions({
    queryKey: ['orders', 'actual-costs', month, item],
    queryFn: ({ signal }) => data(api.GET('/api/actual-costs/{item}', { params: { path: { item }, query: { ...(month && { month }) } }, signal })),
  });

/** What was delivered, at what price and cost. */
export const deliveredOptions = (skip: number) =>
  queryOptions({
    queryKey: ['orders', 'delivered', skip],
    queryFn: ({ signal }) => data(api.GET('/api/delivered', { params: { query: { skip } }, signal })),
  });

/** What list prices leave over the standards of a set; 0: of that in force. */
export const marginsOptions = (costSet: number) =>
  queryOptions({
    queryKey: ['margins', costSet],
    queryFn: ({ signal }) => data(api.GET('/api/margins', { params: { query: { cost_set: costSet } }, signal })),
  });

export const againstOptions = (now: number, old: number) =>
  queryOptions({
    queryKey: ['cost-sets', now, old],
    queryFn: ({ signal }) =>
      data(api.GET('/api/cost-sets/{new}/against/{old}', { params: { path: { new: now, old } }, signal })),
  });

export const openedOptions = (now: number, old: number, code: string) =>
  queryOptions({
    queryKey: ['cost-sets', now, old, code],
    queryFn: ({ signal }) =>
      data(api.GET('/api/cost-sets/{new}/against/{old}/items/{code}', { params: { path: { new: now, old, code } }, signal })),
  });

export const itemCostOptions = (code: string) =>
  queryOptions({
    queryKey: ['items', code, 'cost'],
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}/cost', { params: { path: { code } }, signal })),
  });

/** Who worked how long at the operations of an item's orders, in the last year. */
export const labourOptions = (code: string) =>
  queryOptions({
    queryKey: ['items', code, 'labour'],
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}/labour', { params: { path: { code } }, signal })),
  });

/** What the last finished orders of an item came to. */
export const historyOptions = (code: string, limit: number) =>
  queryOptions({
    queryKey: ['items', code, 'history', limit],
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}/history', { params: { path: { code }, query: { limit } }, signal })),
  });
