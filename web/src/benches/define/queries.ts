/** What the define bench asks the server for. */

import { queryOptions } from '@tanstack/react-query';
import { api, data } from '../../api/http';
import type { components } from '../../api/schema';

export type Item = components['schemas']['ItemOut'];
export type ItemFull = components['schemas']['ItemFull'];
export type Revision = components['schemas']['RevisionOut'];
export type RevisionRow = components['schemas']['RevisionRow'];
export type WorkCenter = components['schemas']['WorkCenterOut'];
export type Calendar = components['schemas']['CalendarOut'];
export type CalendarDay = components['schemas']['DayOut'];
export type Holiday = components['schemas']['HolidayOut'];
export type Upload = components['schemas']['UploadOut'];

export const itemOptions = (code: string) =>
  queryOptions({
    queryKey: ['items', code, 'item'],
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}', { params: { path: { code } }, signal })),
  });

export const revisionsOptions = (code: string) =>
  queryOptions({
    queryKey: ['items', code, 'revisions'],
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}/revisions', { params: { path: { code } }, signal })),
  });

export const revisionOptions = (code: string, letter: string) =>
  queryOptions({
    queryKey: ['items', code, 'revisions', letter],
    queryFn: ({ signal }) =>
      data(api.GET('/api/items/{code}/revisions/{letter}', { params: { path: { code, letter } }, signal })),
  });

export const compareOptions = (code: string, letter: string, old: string) =>
  queryOptions({
    queryKey: ['items', code, 'revisions', letter, 'compare', old],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/items/{code}/revisions/{letter}/compare', {
          params: { path: { code, letter }, query: { old } },
          signal,
        }),
      ),
  });

export const notesOptions = (kind: string, code: string) =>
  queryOptions({
    queryKey: ['notes', kind, code],
    queryFn: ({ signal }) => data(api.GET('/api/notes/{kind}/{code}', { params: { path: { kind, code } }, signal })),
  });

export const lacksOptions = () =>
  queryOptions({
    queryKey: ['lacks'],
    queryFn: ({ signal }) => data(api.GET('/api/lacks', { signal })),
  });

export const peopleOptions = () =>
  queryOptions({
    queryKey: ['people'],
    queryFn: ({ signal }) => data(api.GET('/api/people', { signal })),
  });

export const uploadOptions = (number: number) =>
  queryOptions({
    queryKey: ['uploads', number],
    queryFn: ({ signal }) => data(api.GET('/api/uploads/{number}', { params: { path: { number } }, signal })),
  });

export const yearOptions = (code: string, year: number) =>
  queryOptions({
    queryKey: ['calendars', code, year],
    queryFn: ({ signal }) =>
      data(api.GET('/api/calendars/{code}/years/{year}', { params: { path: { code, year } }, signal })),
  });

export const standardOptions = (code: string) =>
  queryOptions({
    queryKey: ['items', code, 'standard'],
    queryFn: ({ signal }) =>
      data(api.GET('/api/items/{code}/standard', { params: { path: { code } }, signal })),
  });

export const whereUsedOptions = (code: string) =>
  queryOptions({
    queryKey: ['items', code, 'where-used'],
    queryFn: ({ signal }) =>
      data(api.GET('/api/items/{code}/where-used', { params: { path: { code } }, signal })),
  });

export const stockOptions = (code: string) =>
  queryOptions({
    queryKey: ['items', code, 'stock'],
    queryFn: ({ signal }) =>
      data(api.GET('/api/items/{code}/stock', { params: { path: { code } }, signal })),
  });

export const rolledOptions = (code: string) =>
  queryOptions({
    queryKey: ['items', code, 'rolled'],
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}/rolled', { params: { path: { code } }, signal })),
  });

export const pricesOptions = (code: string) =>
  queryOptions({
    queryKey: ['items', code, 'prices'],
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}/prices', { params: { path: { code } }, signal })),
  });

export const listPricesOptions = (code: string) =>
  queryOptions({
    queryKey: ['items', code, 'list-prices'],
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}/list-prices', { params: { path: { code } }, signal })),
  });

export const documentsOptions = (code: string) =>
  queryOptions({
    queryKey: ['items', code, 'documents'],
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}/documents', { params: { path: { code } }, signal })),
  });

export const overheadsOptions = () =>
  queryOptions({
    queryKey: ['overheads'],
    queryFn: ({ signal }) => data(api.GET('/api/overheads', { signal })),
  });

export const auditOptions = () =>
  queryOptions({
    queryKey: ['audit'],
    queryFn: ({ signal }) => data(api.GET('/api/audit', { signal })),
  });
