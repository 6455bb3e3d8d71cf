import { infiniteQueryOptions, keepPreviousData, queryOptions } from '@tanstack/react-query';
import { api, data, keepToken } from './http';
import type { components } from './schema';

export type Me = components['schemas']['Me'];
export type Item = components['schemas']['ItemOut'];
export type ItemFull = components['schemas']['ItemFull'];
export type CostSet = components['schemas']['CostSetOut'];
export type Margins = components['schemas']['MarginsOut'];
export type Against = components['schemas']['AgainstOut'];
export type CostPart = components['schemas']['PartOut'];
export type ItemCost = components['schemas']['ItemCostOut'];
export type CostIn = components['schemas']['CostIn'];
export type Job = components['schemas']['JobOut'];
export type Order = components['schemas']['OrderOut'];
export type OrderRow = components['schemas']['OrderRow'];
export type OrderInput = components['schemas']['OrderInputOut'];
export type Bridge = components['schemas']['BridgeOut'];
export type Cause = components['schemas']['CauseOut'];
export type Tree = components['schemas']['TreeOut'];
export type TreeRow = components['schemas']['TreeRow'];
export type Revision = components['schemas']['RevisionOut'];
export type DerivationRow = components['schemas']['DerivationRow'];
export type Found = components['schemas']['Found'];
export type Attention = components['schemas']['AttentionOut'];
export type Consequences = components['schemas']['Consequences'];
export type RevisionRow = components['schemas']['RevisionRow'];
export type ComparedOut = components['schemas']['ComparedOut'];
export type Compared = components['schemas']['ComparedRow'];
export type WorkCenter = components['schemas']['WorkCenterOut'];
export type Calendar = components['schemas']['CalendarOut'];
export type CalendarDay = components['schemas']['DayOut'];
export type Holiday = components['schemas']['HolidayOut'];
export type Upload = components['schemas']['UploadOut'];
export type Posting = components['schemas']['PostingOut'];

export const meOptions = () =>
  queryOptions({
    queryKey: ['me'],
    queryFn: async ({ signal }) => keepToken(await data(api.GET('/api/me', { signal }))),
    staleTime: Infinity,
  });

export const commandsOptions = () =>
  queryOptions({
    queryKey: ['commands'],
    queryFn: ({ signal }) => data(api.GET('/api/commands', { signal })),
    staleTime: Infinity,
  });

export const basicsOptions = () =>
  queryOptions({
    queryKey: ['basics'],
    queryFn: ({ signal }) => data(api.GET('/api/basics', { signal })),
  });

/** Return where the next page of a list begins that the server filters; undefined at its end. */
function nextPage<T extends { found: number; rows: unknown[] }>(last: T, all: T[]): number | undefined {
  const shown = all.reduce((sum, page) => sum + page.rows.length, 0);
  return shown < last.found ? shown : undefined;
}

export const itemsOptions = (q: string) =>
  infiniteQueryOptions({
    queryKey: ['items', 'page', q],
    initialPageParam: 0,
    placeholderData: keepPreviousData,
    getNextPageParam: nextPage,
    queryFn: ({ signal, pageParam }) => data(api.GET('/api/items', { params: { query: { q, skip: pageParam } }, signal })),
  });

/** Items of some codes; what there is not is left out. */
export const namedItemsOptions = (codes: string[]) =>
  queryOptions({
    queryKey: ['items', 'named', codes],
    enabled: codes.length > 0,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      const parts = Array.from({ length: Math.ceil(codes.length / 200) }, (_, n) => codes.slice(n * 200, (n + 1) * 200));
      const found = await Promise.all(
        parts.map((part) =>
          data(api.GET('/api/items', { params: { query: { codes: part.join('\t'), limit: 200 } }, signal })),
        ),
      );
      return found.flatMap((page) => page.rows);
    },
  });

export const itemOptions = (code: string) =>
  queryOptions({
    queryKey: ['items', code, 'item'],
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}', { params: { path: { code } }, signal })),
  });

export const workCentersOptions = () =>
  queryOptions({
    queryKey: ['work-centers'],
    queryFn: ({ signal }) => data(api.GET('/api/work-centers', { signal })),
  });

export const treeOptions = (code: string, revision = '') =>
  queryOptions({
    queryKey: ['items', code, 'tree', revision],
    queryFn: ({ signal }) =>
      data(api.GET('/api/items/{code}/tree', { params: { path: { code }, query: { revision } }, signal })),
  });

export const treeDerivationOptions = (code: string, revision: string, row: string, figure: 'cost' | 'need' = 'cost') =>
  queryOptions({
    queryKey: ['items', code, 'tree', revision, row, figure],
    queryFn: ({ signal }) =>
      data(
        api.GET('/api/items/{code}/tree/derivation', {
          params: { path: { code }, query: { row, revision, figure } },
          signal,
        }),
      ),
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

export const peekOptions = (code: string) =>
  queryOptions({
    queryKey: ['items', code, 'peek'],
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}/peek', { params: { path: { code } }, signal })),
  });

export const ownUnitsOptions = (code: string) =>
  queryOptions({
    queryKey: ['items', code, 'units'],
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}/units', { params: { path: { code } }, signal })),
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

export const calendarsOptions = () =>
  queryOptions({
    queryKey: ['calendars'],
    queryFn: ({ signal }) => data(api.GET('/api/calendars', { signal })),
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

export const ordersOptions = (states: string, q: string) =>
  infiniteQueryOptions({
    queryKey: ['orders', 'page', states, q],
    initialPageParam: 0,
    placeholderData: keepPreviousData,
    getNextPageParam: nextPage,
    queryFn: ({ signal, pageParam }) =>
      data(api.GET('/api/orders', { params: { query: { states, q, skip: pageParam } }, signal })),
  });

/** What has the words, a few of each kind; of one kind where it is named. */
export const findOptions = (q: string, kind = '') =>
  queryOptions({
    queryKey: ['find', kind, q],
    enabled: q.trim() !== '',
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(api.GET('/api/find', { params: { query: { q, kind } }, signal })),
  });

export const waitingOptions = (code: string) =>
  queryOptions({
    queryKey: ['today', 'missing', code],
    queryFn: ({ signal }) => data(api.GET('/api/today/missing/{code}', { params: { path: { code } }, signal })),
  });

export const orderOptions = (number: number) =>
  queryOptions({
    queryKey: ['orders', number],
    queryFn: ({ signal }) =>
      data(api.GET('/api/orders/{number}', { params: { path: { number } }, signal })),
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

export const postingOptions = (number: number) =>
  queryOptions({
    queryKey: ['postings', number],
    queryFn: ({ signal }) =>
      data(api.GET('/api/postings/{number}', { params: { path: { number } }, signal })),
  });

export const todayOptions = () =>
  queryOptions({
    queryKey: ['today'],
    queryFn: ({ signal }) => data(api.GET('/api/today', { signal })),
  });

export const labourGradesOptions = () =>
  queryOptions({
    queryKey: ['labour-grades'],
    queryFn: ({ signal }) => data(api.GET('/api/labour-grades', { signal })),
  });

export const partnersOptions = () =>
  queryOptions({
    queryKey: ['partners'],
    queryFn: ({ signal }) => data(api.GET('/api/partners', { signal })),
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

/** What list prices leave over the standards of a set; 0: of that in force. */
export const marginsOptions = (costSet: number) =>
  queryOptions({
    queryKey: ['margins', costSet],
    queryFn: ({ signal }) => data(api.GET('/api/margins', { params: { query: { cost_set: costSet } }, signal })),
  });

export const documentsOptions = (code: string) =>
  queryOptions({
    queryKey: ['items', code, 'documents'],
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}/documents', { params: { path: { code } }, signal })),
  });

/** Where a drawing or picture of an item is found. */
export const documentPath = (code: string, name: string) =>
  `/api/items/${encodeURIComponent(code)}/documents/${encodeURIComponent(name)}`;

export const jobOptions = (number: number) =>
  queryOptions({
    queryKey: ['jobs', number],
    queryFn: ({ signal }) => data(api.GET('/api/jobs/{number}', { params: { path: { number } }, signal })),
  });

export const costSetsOptions = () =>
  queryOptions({
    queryKey: ['cost-sets'],
    queryFn: ({ signal }) => data(api.GET('/api/cost-sets', { signal })),
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

export const actualsOptions = (code: string) =>
  queryOptions({
    queryKey: ['items', code, 'actuals'],
    queryFn: ({ signal }) => data(api.GET('/api/items/{code}/actuals', { params: { path: { code } }, signal })),
  });

export const overheadsOptions = () =>
  queryOptions({
    queryKey: ['overheads'],
    queryFn: ({ signal }) => data(api.GET('/api/overheads', { signal })),
  });

export const sessionsOptions = () =>
  queryOptions({
    queryKey: ['sessions'],
    queryFn: ({ signal }) => data(api.GET('/api/me/sessions', { signal })),
  });

export const factorOptions = () =>
  queryOptions({
    queryKey: ['second factor'],
    queryFn: ({ signal }) => data(api.GET('/api/me/second-factor', { signal })),
    staleTime: Infinity,
    gcTime: 0,
  });

export const auditOptions = () =>
  queryOptions({
    queryKey: ['audit'],
    queryFn: ({ signal }) => data(api.GET('/api/audit', { signal })),
  });
