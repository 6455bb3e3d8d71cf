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
export type CostIn = components['schemas']['CostIn'];

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
