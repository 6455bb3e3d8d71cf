import type { Order } from '../../api/queries';
import type { OrderInput, Posting } from './queries';
import { isZero, plain, total } from '../../lib/decimal';
import type { Inputs, Sent } from '../../commands/inputs';

export const afterLoss = { 'leave it': 'leave it', replenish: 'release material for as many more', 'accept less': 'make fewer' } as const;
export type Then = keyof typeof afterLoss;
export type Complete = 'no' | 'when received' | 'yes';

/** What one person worked at an operation. */
export interface Worked {
  person: string;
  hours: string;
  overtime: string;
  is_setup: boolean;
  /** attended at once; empty: this one alone */
  machines: string;
}

/** A run report while it is being entered; empty hours mean: by the standard. */
export interface ReportEntry {
  order: number;
  operation: number;
  good: string;
  scrap: { reason: string; quantity: string }[];
  /** pieces worked on and set aside for rework */
  rework: string;
  /** what is reported was set aside before */
  of_rework: boolean;
  by_products: { item: string; quantity: string }[];
  hours: Record<string, string>;
  /** who worked, each his own hours; then people's hours are not stated besides */
  people: Worked[];
  overtimeTo: 'the order' | 'the work center';
  /** how often it was set up; "" leaves that to the server */
  setups: string;
  /** pieces, or "ready": all that are good by then and not yet received */
  receive: string;
  /** what is received, sorted, where the output is graded */
  grades: { item: string; quantity: string }[];
  complete: Complete;
  /** what follows where pieces are lost */
  then: Then;
  /** a note, or why there is more than was ordered */
  reason: string;
  /** the posting that this report corrects */
  corrects?: number | undefined;
}

const hourField = (kind: string) => `${kind.replace(' ', '_')}_hours`;

export function reportedOperations(order: Order) {
  return order.operations.filter((o) => o.is_report_point);
}

/** Return the operation that a report is most likely about: what the server says is next, else the last. */
export function nextOperation(order: Order): number {
  return order.next_operation ?? reportedOperations(order).at(-1)?.number ?? 0;
}

/** Return what leaves an operation besides the main item. */
export const outputsOf = (order: Order, operation: number) => [
  ...inputsOf(order, operation, 'by-product'),
  ...inputsOf(order, operation, 'co-product'),
];

function inputsOf(order: Order, operation: number, kind: string): OrderInput[] {
  return order.inputs.filter((i) => i.operation === operation && i.kind === kind);
}

export function timesOf(order: Order, operation: number): OrderInput[] {
  return order.inputs.filter((i) => i.operation === operation && /labour|machine/.test(i.kind) && !i.is_rework && !i.is_worked_elsewhere);
}

/** Return a report filled in with what is still due. */
export function dueReport(order: Order, operation: number): ReportEntry {
  const here = order.operations.find((o) => o.number === operation);
  const isLast = reportedOperations(order).at(-1)?.number === operation;
  return {
    order: order.number,
    operation,
    good: plain(here?.due ?? '0'),
    scrap: [],
    rework: '',
    of_rework: false,
    by_products: outputsOf(order, operation).map((b) => ({
      item: b.code,
      quantity: plain(b.still),
    })),
    hours: {},
    people: [],
    overtimeTo: 'the order',
    setups: '',
    receive: isLast ? 'ready' : '',
    grades: [],
    complete: isLast ? 'when received' : 'no',
    then: 'leave it',
    reason: '',
  };
}

/** Return a report of what comes out of rework: all that is set aside, as good. */
export function reworkReport(order: Order, operation: number): ReportEntry {
  const here = order.operations.find((o) => o.number === operation);
  return { ...dueReport(order, operation), good: plain(here?.rework ?? '0'), of_rework: true, by_products: [] };
}

/** Return a report filled in with what a posting's act says, to be corrected. */
export function reportOf(order: Order, posting: Posting, reasons: { code: string; name: string }[]): ReportEntry {
  const operation = posting.operation ?? 0;
  const here = posting.units.filter((u) => u.operation === operation);
  const times = posting.times.filter((t) => t.operation === operation);
  const rework = here.find((u) => u.kind === 'rework')?.quantity ?? '0';
  const isOut = rework.startsWith('-');
  return {
    order: posting.order ?? 0,
    operation,
    good: plain(here.find((u) => u.kind === 'good')?.quantity ?? '0'),
    scrap: here
      .filter((u) => u.kind === 'scrap')
      .map((u) => ({ reason: reasons.find((r) => r.name === u.reason)?.code ?? '', quantity: plain(u.quantity) })),
    rework: isOut || isZero(rework) ? '' : plain(rework),
    of_rework: isOut,
    by_products: posting.stock
      .filter((s) => s.operation === operation && s.from_place === 'Work in process')
      .map((s) => ({ item: s.item, quantity: plain(s.quantity) })),
    hours: Object.fromEntries(times.filter((t) => t.kind !== SET_UP && !t.person).map((t) => [t.kind, plain(t.quantity)])),
    people: times
      .filter((t) => t.person)
      .map((t) => ({ person: t.person, hours: plain(t.quantity), overtime: isZero(t.overtime) ? '' : plain(t.overtime), is_setup: t.kind === 'setup labour', machines: '' })),
    overtimeTo: posting.money.some((j) => j.account === 'overhead expense') ? 'the work center' : 'the order',
    setups: plain(times.find((t) => t.kind === SET_UP)?.quantity ?? ''),
    receive: isZero(posting.act_received_quantity) ? '' : plain(posting.act_received_quantity),
    grades: order.grades.length ? posting.act_received.map((r) => ({ item: r.item, quantity: plain(r.quantity) })) : [],
    complete: posting.act_completes ? 'yes' : 'no',
    then: 'leave it',
    reason: posting.reason,
    corrects: posting.number,
  };
}

/** Tell whether the hours of a kind are said by person. */
export const isSaidByPerson = (people: readonly Worked[], kind: string) => people.some((w) => kind === (w.is_setup ? 'setup labour' : 'run labour'));

const SET_UP = 'times set up';

/** Return what the server is sent: lines and hours left empty are left out. */
export function reportGiven(entry: ReportEntry): Sent<Inputs['report']> {
  const filled = (quantity: string) => quantity !== '' && !isZero(quantity);
  const people = entry.people.filter((w) => w.person || w.hours); // what is half typed the server refuses
  const hours = Object.entries(entry.hours).filter(([kind, h]) => h !== '' && !isSaidByPerson(people, kind));
  const isOver = people.some((w) => filled(w.overtime));
  return {
    order: entry.order,
    operation: entry.operation,
    good: entry.good || '0',
    scrap: entry.scrap.filter((s) => filled(s.quantity)),
    ...(entry.of_rework ? { of_rework: true } : filled(entry.rework) ? { rework: entry.rework } : {}),
    by_products: entry.by_products.filter((b) => filled(b.quantity)),
    ...Object.fromEntries(hours.map(([kind, h]) => [hourField(kind), h])),
    ...(people.length ? { people: people.map(({ machines, ...w }) => ({ ...w, overtime: w.overtime || '0', ...(machines ? { machines: Number(machines) } : {}) })) } : {}),
    ...(isOver ? { overtime_to: entry.overtimeTo } : {}),
    ...(entry.setups === '' || entry.of_rework ? {} : { times_set_up: Number(entry.setups) }),
    ...(entry.then !== 'leave it' && entry.scrap.some((s) => filled(s.quantity)) ? { then: entry.then } : {}),
    ...(entry.reason.trim() ? { reason: entry.reason.trim() } : {}),
    receive: entry.receive || '0',
    grades: filled(entry.receive) ? entry.grades.filter((g) => filled(g.quantity)) : [],
    complete: entry.complete === 'when received' ? entry.complete : entry.complete === 'yes',
  };
}

export function reportAct(entry: ReportEntry): string {
  const scrap = total(entry.scrap.map((s) => s.quantity || '0'));
  const parts = [`${entry.good || '0'} good`, ...(isZero(scrap) ? [] : [`${scrap} scrap`])];
  if (entry.of_rework) parts.push('out of rework');
  else if (!isZero(entry.rework || '0')) parts.push(`${entry.rework} for rework`);
  const received = entry.receive === 'ready' ? ' and receive' : isZero(entry.receive || '0') ? '' : `, receive ${entry.receive}`;
  return `${entry.corrects ? 'Correct to' : 'Report'} ${parts.join(', ')}${received}`;
}

/** Return an entry whose run hours are those that the operation's clock ran. */
export function withClock(order: Order, entry: ReportEntry, ran: string): ReportEntry {
  const kinds = timesOf(order, entry.operation).filter((t) => t.kind.startsWith('run') && !isSaidByPerson(entry.people, t.kind));
  return { ...entry, hours: { ...entry.hours, ...Object.fromEntries(kinds.map((t) => [t.kind, plain(ran)])) } };
}
