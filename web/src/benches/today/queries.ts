/** What the today bench asks the server for. */

import { queryOptions } from '@tanstack/react-query';
import { api, data } from '../../api/http';
import type { components } from '../../api/schema';

export type Attention = components['schemas']['AttentionOut'];

export const waitingOptions = (code: string) =>
  queryOptions({
    queryKey: ['today', 'missing', code],
    queryFn: ({ signal }) => data(api.GET('/api/today/missing/{code}', { params: { path: { code } }, signal })),
  });

export const todayOptions = () =>
  queryOptions({
    queryKey: ['today'],
    queryFn: ({ signal }) => data(api.GET('/api/today', { signal })),
  });
