/** The kinds of entries that forms are made of: what each is called, what it takes, and what is sent of it. */

import * as z from 'zod';
import type { components } from '../api/schema';
import { values } from '../api/values';
import type { Shift } from '../lib/clock';

type Named = components['schemas'];

export type EntryKind =
  | 'text'
  | 'number'
  | 'date'
  | 'check'
  | 'password'
  | 'item'
  | 'made item'
  | 'order'
  | 'place'
  | 'site'
  | 'customer'
  | 'supplier'
  | 'reason'
  | 'stock lines'
  | 'purchase lines'
  | 'lines delivered'
  | 'lines ordered'
  | 'lines leaving'
  | 'forecasts'
  | 'actual costs'
  | 'parts sent'
  | 'lots chosen'
  | 'unit'
  | 'work center'
  | 'calendar'
  | 'minute'
  | 'week'
  | 'own units'
  | 'labour grade'
  | 'layers'
  | 'prices'
  | 'list prices'
  | 'grades'
  | 'cost set'
  | 'changes'
  | 'roles'
  | 'choice';

/** One entry of a form; of what is typed its schema makes what is sent, or says what is wrong. */
export interface Entry<T = unknown> {
  label: string;
  kind: EntryKind;
  hint?: string | undefined;
  optional?: boolean | undefined;
  options?: readonly string[];
  /** undefined is left out of what is sent */
  schema: z.ZodType<T | undefined>;
}

interface More {
  hint?: string;
  optional?: boolean;
}

const NEEDED = 'It is needed.';
export const optional = { optional: true } as const;

function entry<T>(kind: EntryKind, label: string, schema: z.ZodType<T | undefined>, more: More = {}): Entry<T> {
  const whole = more.optional ? z.preprocess((v) => (v === '' || v === null ? undefined : v), schema.optional()) : schema;
  return { kind, label, ...more, schema: whole };
}

const words = z.string(NEEDED).trim().min(1, NEEDED);
const decimal = z.union([z.number().transform(String), z.string()], NEEDED).pipe(z.string().min(1, NEEDED).regex(/^-?(\d+(\.\d+)?|\.\d+)$/, 'Enter a number such as 12.5.'));
const whole = z.preprocess((v) => (v === '' ? undefined : v), z.coerce.number('Enter a whole number.').int('Enter a whole number.'));

const ofWords = (kind: EntryKind) => (label: string, more?: More) => entry(kind, label, words, more);
export const text = ofWords('text');
/** as it was typed: spaces are part of it */
export const password = (label: string, more?: More) => entry('password', label, z.string(NEEDED).min(1, NEEDED), more);
export const item = ofWords('item');
export const madeItem = ofWords('made item');
export const place = ofWords('place');
export const site = ofWords('site');
export const customer = ofWords('customer');
export const supplier = ofWords('supplier');
/** of one use, such as scrap */
export const reason = (label: string, use: string, more?: More) => ({ ...entry('reason', label, words, more), options: [use] });
export const unit = ofWords('unit');
export const workCenter = ofWords('work center');
export const calendar = ofWords('calendar');
export const labourGrade = ofWords('labour grade');

export const number = (label: string, more?: More) => entry('number', label, decimal, more);
export const wholeNumber = (label: string, more?: More) => entry('number', label, whole, more);
export const order = (label: string, more?: More) => entry('order', label, whole, more);
/** several order numbers, as they are typed: with commas or spaces */
export const orderNumbers = (label: string, more?: More) =>
  entry<number[]>(
    'text',
    label,
    z.preprocess((v) => (typeof v === 'string' ? v.split(/[\s,;]+/).filter(Boolean).map(Number) : v), z.array(z.number('Enter order numbers.').int('Enter order numbers.')).min(1, NEEDED)) as unknown as z.ZodType<number[] | undefined>,
    more,
  );
export const costSet = (label: string, more?: More) => entry('cost set', label, whole, more);
export const date = (label: string, more?: More) => entry('date', label, z.iso.date('Choose a day.'), more);
export const minute = (label: string, more?: More) => entry('minute', label, z.number('Enter a time.'), more);
/** where nothing was said, nothing is sent */
export const check = (label: string, more?: More) => entry('check', label, z.boolean().optional(), more);
export const roles = (label: string) => entry('roles', label, z.array(z.enum(values.Role)).optional());

export const choice = <const O extends string>(label: string, options: readonly O[], more: More = {}): Entry<O> => ({
  ...entry('choice', label, z.enum(options as readonly [O, ...O[]], 'Choose one.'), more),
  options,
});

const shifts: z.ZodType<Shift[]> = z.array(z.object({ weekday: z.number(), start: z.number(), end: z.number() }));
export const week = (label: string, more?: More) => entry('week', label, shifts, more);
const units: z.ZodType<Named['OwnUnit'][]> = z.array(z.object({ name: words, quantity: decimal }));
export const ownUnits = (label: string, more?: More) => entry('own units', label, units, more);

/** Rows with a few entries each; one left wholly empty is not sent. What is half typed the server says, by line. */
function rows<T>(kind: EntryKind, label: string): Entry<T[]> {
  const typed = z.array(z.record(z.string(), z.string())).transform((all) => all.filter((r) => Object.keys(r).length > 0));
  return entry(kind, label, typed.optional() as unknown as z.ZodType<T[] | undefined>);
}
export const layers = (label: string) => rows<Named['LayerGiven']>('layers', label);
export const prices = (label: string) => rows<Named['PriceGiven']>('prices', label);
export const listPrices = (label: string) => rows<Named['ListPriceGiven']>('list prices', label);
export const changes = (label: string) => rows<Named['ChangeGiven']>('changes', label);
export const stockLines = (label: string) => rows<Named['StockMoved']>('stock lines', label);
export const linesDelivered = (label: string) => rows<Named['LineDelivered']>('lines delivered', label);
export const linesOrdered = (label: string) => rows<Named['LineOrdered']>('lines ordered', label);
export const linesLeaving = (label: string) => rows<Named['OrderedDelivered']>('lines leaving', label);
export const forecasts = (label: string) => rows<Named['Foreseen']>('forecasts', label);
export const actualCosts = (label: string) => rows<Named['CostEntered']>('actual costs', label);
export const purchaseLines = (label: string) => rows<Named['LineWanted']>('purchase lines', label);
export const partsSent = (label: string) => rows<Named['PartSent']>('parts sent', label);
export const lotsChosen = (label: string) => rows<Named['LotChosen']>('lots chosen', label);
export const gradesReceived = (label: string) => rows<Named['GradeReceived']>('grades', label);
