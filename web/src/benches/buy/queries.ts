/** What the buying bench asks the server for. */

import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import { api, data } from '../../api/http';
import type { components } from '../../api/schema';

type Named = components['schemas'];
export type Purchase = Named['PurchaseOut'];
export type PurchaseLine = Named['PurchaseLineOut'];
export type PurchaseRow = Named['PurchaseRow'];
export type Outside = Named['OutsideRow'];
export type Supplier = Named['SupplierOut'];
export type Wanted = Named['WantedRow'];
export type OpenRow = Named['OpenRow'];
export type InvoiceRow = Named['InvoiceRow'];
export const LISTS = ['open', 'late', 'draft', 'received', 'closed', 'all'] as const;

export const purchasesOptions = (which: string, skip: number) =>
  queryOptions({
    queryKey: ['buying', 'purchases', which, skip],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(api.GET('/api/purchases', { params: { query: { which, skip } }, signal })),
  });

export const purchaseOptions = (number: number) =>
  queryOptions({
    queryKey: ['buying', 'purchases', number],
    queryFn: ({ signal }) => data(api.GET('/api/purchases/{number}', { params: { path: { number } }, signal })),
  });

export const supplierOptions = (code: string) =>
  queryOptions({
    queryKey: ['buying', 'suppliers', code],
    queryFn: ({ signal }) => data(api.GET('/api/suppliers/{code}', { params: { path: { code } }, signal })),
  });

export const wantedOptions = () =>
  queryOptions({
    queryKey: ['buying', 'wanted'],
    queryFn: ({ signal }) => data(api.GET('/api/purchases/wanted', { signal })),
  });

export const openOptions = (supplier: string, skip: number) =>
  queryOptions({
    queryKey: ['buying', 'open', supplier, skip],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(api.GET('/api/purchases/to-invoice', { params: { query: { supplier, skip, take: 200 } }, signal })),
  });

export const outOptions = () =>
  queryOptions({
    queryKey: ['buying', 'out'],
    queryFn: ({ signal }) => data(api.GET('/api/purchases/out', { signal })),
  });

/** What the simulated supplier confirms of an order. */
export const askSupplier = (number: number) => data(api.GET('/api/stand-ins/supplier/{number}', { params: { path: { number }} }));

/** What the simulated supplier sends about an order: his invoice for what came, his despatch advice for what is to come. */
export async function supplierPaper(number: number, paper: 'invoice' | 'despatch'): Promise<File> {
  const text = await data<unknown>(api.GET(`/api/stand-ins/supplier/{number}/${paper}.xml`, { params: { path: { number } }, parseAs: 'text' }));
  return new File([String(text)], `${paper}-${number}.xml`, { type: 'text/xml' });
}

export const invoicesOptions = (skip: number) =>
  queryOptions({
    queryKey: ['buying', 'invoices', skip],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(api.GET('/api/invoices', { params: { query: { skip } }, signal })),
  });
