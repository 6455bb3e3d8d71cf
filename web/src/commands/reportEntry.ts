import type { Order, OrderInput } from '../api/queries';
import { isZero, plain } from '../lib/decimal';
import type { Given } from './forms';

/** A run report while it is being entered; empty hours mean: by the standard. */
export interface ReportEntry {
  order: number;
  operation: number;
  good: string;
  scrap: { reason: string; quantity: string }[];
  by_products: { item: string; quantity: string }[];
  hours: Record<string, string>;
  receive: string;
  /** what is received, sorted, where the output is graded */
  grades: { item: string; quantity: string }[];
  complete: boolean;
  /** the posting that this report corrects */
  corrects?: number | undefined;
}

const hourField = (kind: string) => `${kind.replace(' ', '_')}_hours`;

export function reportedOperations(order: Order) {
  return order.operations.filter((o) => o.is_report_point);
}

/** Return the operation that a report is most likely about: the last that has pieces before it. */
export function nextOperation(order: Order): number {
  const reported = reportedOperations(order);
  const waiting = reported.filter((o) => !isZero(o.due));
  return (waiting.at(-1) ?? reported.at(-1))?.number ?? 0;
}

/** Return what leaves an operation besides the main item. */
export const outputsOf = (order: Order, operation: number) => [
  ...inputsOf(order, operation, 'by-product'),
  ...inputsOf(order, operation, 'co-product'),
];

export function inputsOf(order: Order, operation: number, kind: string): OrderInput[] {
  return order.inputs.filter((i) => i.operation === operation && i.kind === kind);
}

export function timesOf(order: Order, operation: number): OrderInput[] {
  return order.inputs.filter((i) => i.operation === operation && /labour|machine/.test(i.kind));
}

/** Return a report filled in with what is still due. */
export function dueReport(order: Order, operation: number): ReportEntry {
  const here = order.operations.find((o) => o.number === operation);
  const good = plain(here?.due ?? '0');
  return withReceipt(order, {
    order: order.number,
    operation,
    good,
    scrap: [],
    by_products: outputsOf(order, operation).map((b) => ({
      item: b.code,
      quantity: plain(b.still),
    })),
    hours: {},
    receive: '',
    grades: [],
    complete: false,
  });
}

/** Return the report with the receipt that follows from its good pieces at the last operation. */
export function withReceipt(order: Order, entry: ReportEntry): ReportEntry {
  const last = reportedOperations(order).at(-1);
  if (!last || entry.operation !== last.number || entry.corrects) return { ...entry, receive: '', complete: false };
  const ready = Number(last.good) + Number(entry.good || 0) - Number(order.received);
  return {
    ...entry,
    receive: ready > 0 ? String(ready) : '',
    complete: ready + Number(order.received) >= Number(order.quantity),
  };
}

/** Return what the server is sent: lines and hours left empty are left out. */
export function reportGiven(entry: ReportEntry): Given {
  const filled = (quantity: string) => quantity !== '' && !isZero(quantity);
  const hours = Object.entries(entry.hours).filter(([, h]) => h !== '');
  const report: Given = {
    order: entry.order,
    operation: entry.operation,
    good: entry.good || '0',
    scrap: entry.scrap.filter((s) => filled(s.quantity)),
    by_products: entry.by_products.filter((b) => filled(b.quantity)),
    ...Object.fromEntries(hours.map(([kind, h]) => [hourField(kind), h])),
    receive: entry.receive || '0',
    grades: filled(entry.receive) ? entry.grades.filter((g) => filled(g.quantity)) : [],
    complete: entry.complete,
  };
  return entry.corrects ? { posting: entry.corrects, report } : report;
}

export function reportAct(entry: ReportEntry): string {
  const scrap = entry.scrap.reduce((sum, s) => sum + Number(s.quantity || 0), 0);
  const parts = [`${entry.good || '0'} good`, ...(scrap ? [`${scrap} scrap`] : [])];
  const received = Number(entry.receive) ? `, receive ${entry.receive}` : '';
  return `${entry.corrects ? 'Correct to' : 'Report'} ${parts.join(', ')}${received}`;
}
