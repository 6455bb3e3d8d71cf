/** What work centers' lists ask the server for. */

import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import { api, data } from '../../api/http';
import type { components } from '../../api/schema';
import type { values } from '../../api/values';

export type Load = components['schemas']['LoadOut'];
export type Week = components['schemas']['LoadWeekOut'];
export type WorkRow = components['schemas']['WorkRow'];
export type Rule = (typeof values.Rule)[number];

export const loadsOptions = () =>
  queryOptions({
    queryKey: ['orders', 'loads'],
    queryFn: ({ signal }) => data(api.GET('/api/work-loads', { signal })),
  });

export type Indicators = components['schemas']['IndicatorsOut'];

/** How a work center did in the last months, by ISO 22400-2. */
export const indicatorsOptions = (code: string) =>
  queryOptions({
    queryKey: ['orders', 'indicators', code],
    queryFn: ({ signal }) => data(api.GET('/api/work-centers/{code}/indicators', { params: { path: { code } }, signal })),
  });

export const loadOptions = (code: string) =>
  queryOptions({
    queryKey: ['orders', 'load', code],
    queryFn: ({ signal }) => data(api.GET('/api/work-centers/{code}/load', { params: { path: { code } }, signal })),
  });

export const workListOptions = (code: string, by: Rule) =>
  queryOptions({
    queryKey: ['orders', 'list', code, by],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(api.GET('/api/work-centers/{code}/list', { params: { path: { code }, query: { by } }, signal })),
  });
