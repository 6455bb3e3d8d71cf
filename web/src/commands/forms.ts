/** What each command asks for, where a plain list of entries is enough; names and values are checked against the command's input. */

import type { paths } from '../api/schema';
import { values } from '../api/values';

/** The inputs of all commands, by command. */
type Inputs = {
  [P in keyof paths as P extends `/api/commands/${infer C}/preview` ? C : never]: paths[P] extends {
    post: { requestBody: { content: { 'application/json': { given: infer G } } } };
  }
    ? G
    : never;
};
type CommandName = keyof Inputs;

type FieldKind =
  | 'text'
  | 'number'
  | 'date'
  | 'check'
  | 'password'
  | 'item'
  | 'made item'
  | 'order'
  | 'place'
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

export interface FieldSpec<N extends string = string, O extends string = string> {
  name: N;
  label: string;
  kind: FieldKind;
  optional?: boolean;
  hint?: string;
  options?: readonly O[];
}

/** An entry for one property of a command's input, with none but its values to choose from. */
type FieldOf<G> = { [N in keyof G & string]: FieldSpec<N, ValuesOf<G[N]>> }[keyof G & string];
type ValuesOf<T> = [Extract<T, string>] extends [never] ? string : Extract<T, string>;

interface FormOf<G, C> {
  /** the command that it carries out, where it is not the one of its name */
  command?: C;
  /** where the command's own title says too little */
  title?: string;
  /** what the posting button says, naming the act and its object */
  act: (given: Given) => string;
  fields: readonly FieldOf<G>[];
  /** entries filled in before the person has typed anything */
  start?: { [N in keyof G]?: unknown };
}

/** A form by what the panel needs of it. */
interface FormSpec {
  command?: CommandName;
  title?: string;
  act: (given: Given) => string;
  fields: readonly FieldSpec[];
  start?: Given;
}

/** Forms that ask for a part of a command's input. */
type Parts = { 'plan-item': 'change-item'; 'form-item': 'change-item' };

type Forms = { [C in CommandName]?: FormOf<Inputs[C], never> } & {
  [P in keyof Parts]: FormOf<Inputs[Parts[P]], Parts[P]> & { command: Parts[P] };
};

/** What a person has entered so far: anything may be missing or half typed; the server says what is wrong. */
export type Given = Record<string, unknown>;

const field = <const N extends string, const O extends string = never>(
  name: N,
  label: string,
  kind: FieldKind,
  more: Pick<FieldSpec<N, O>, 'optional' | 'hint' | 'options'> = {},
): FieldSpec<N, O> => ({ name, label, kind, ...more });
const order = field('order', 'Order', 'order');
const optional = { optional: true } as const;
const person = field('name', 'Sign-in name', 'text');
const words = (given: Given, name: string) => String(given[name] ?? '');

const capacity = [
  field('calendar', 'Calendar', 'calendar', { optional: true, hint: 'none: weekdays from 8 to 16' }),
  field('machines', 'Machines', 'number', { optional: true, hint: 'or people, where they set the pace' }),
  field('efficiency', 'Efficiency', 'number', { optional: true, hint: 'share of the standard pace, such as 0.85' }),
];
const days = [field('calendar', 'Calendar', 'calendar'), field('first', 'First day', 'date'), field('last', 'Last day', 'date')];
const revision = [field('item', 'Item', 'made item'), field('note', 'Why', 'text', optional)];

const typed: Forms = {
  'plan-order': {
    act: (g) => `Plan ${words(g, 'quantity')} of ${words(g, 'item')}`,
    fields: [
      field('item', 'Item', 'made item'),
      field('quantity', 'Quantity', 'number'),
      field('due', 'Due', 'date'),
      field('supply_place', 'Components from', 'place'),
      field('receipt_place', 'Output to', 'place'),
      field('note', 'Wanted by', 'text', { optional: true, hint: 'such as a customer order' }),
    ],
  },
  'release-order': { act: (g) => `Release order ${words(g, 'order')}`, fields: [order] },
  'cancel-order': { act: (g) => `Cancel order ${words(g, 'order')}`, fields: [order] },
  'close-order': { act: (g) => `Close order ${words(g, 'order')}`, fields: [order] },
  'complete-order': {
    act: (g) => `Complete order ${words(g, 'order')}`,
    fields: [
      order,
      field('leftovers', 'Leftovers', 'choice', {
        options: ['return', 'charge'],
        hint: 'return what was not worked in, or charge it as used',
      }),
      field('reason', 'Why', 'text', optional),
    ],
    start: { leftovers: 'return' },
  },
  receive: {
    act: (g) => `Receive ${words(g, 'quantity')} from order ${words(g, 'order')}`,
    fields: [
      order,
      field('quantity', 'Quantity', 'number'),
      field('grades', 'Sorted into', 'grades', optional),
      field('place', 'Into', 'place', { optional: true, hint: "empty: the order's own place" }),
      field('complete', 'Complete the order', 'check'),
    ],
    start: { complete: false },
  },
  'take-back': {
    act: (g) => `Take back posting ${words(g, 'posting')}`,
    fields: [field('posting', 'Posting', 'number'), field('reason', 'Why', 'text', optional)],
  },
  'define-item': {
    act: (g) => `Define item ${words(g, 'code')}`,
    fields: [
      field('code', 'Code', 'text'),
      field('name', 'Name', 'text'),
      field('source', 'Buy or make', 'choice', { options: values.Source }),
      field('unit', 'Unit', 'unit'),
      field('step', 'Step', 'number', { optional: true, hint: "empty: the unit's usual step" }),
      field('price', 'Price, EUR per unit', 'number', { optional: true, hint: 'of a bought item, for the standard' }),
      field('standard_lot', 'Standard lot', 'number', { optional: true, hint: 'of a made item; empty: 1' }),
    ],
    start: { source: 'buy', unit: 'pcs' },
  },
  'change-item': {
    act: (g) => `Change item ${words(g, 'code')}`,
    fields: [
      field('code', 'Item', 'item'),
      field('name', 'Name', 'text', optional),
      field('price', 'Price, EUR per unit', 'number', { optional: true, hint: 'where no supplier has a price' }),
      field('standard_lot', 'Standard lot', 'number', { optional: true, hint: 'made at once, or bought at once' }),
      field('source', 'Buy or make', 'choice', { optional: true, options: values.Source }),
      field('valuation', 'Valued at', 'choice', { optional: true, options: ['moving average', 'standard'] }),
      field('own_units', 'Own units', 'own units', optional),
      field('inactive_reason', 'Inactive because', 'text', { optional: true, hint: 'said when it is made inactive' }),
    ],
  },
  'plan-item': {
    command: 'change-item',
    title: 'Change how an item is planned and told apart',
    act: (g) => `Change item ${words(g, 'code')}`,
    fields: [
      field('code', 'Item', 'item'),
      field('lot_rule', 'Lot sizing', 'choice', {
        optional: true,
        options: values.LotRule,
      }),
      field('lead_time_days', 'Lead time, days', 'number', { optional: true, hint: 'working days from ordering to having' }),
      field('lot_minimum', 'At least', 'number', optional),
      field('lot_multiple', 'In multiples of', 'number', optional),
      field('safety_stock', 'Safety stock', 'number', optional),
      field('tracking', 'Told apart by', 'choice', { optional: true, options: values.Tracking }),
      field('number_rule', 'Numbers', 'text', { optional: true, hint: 'such as HT-{year}-{number:4}' }),
    ],
  },
  'form-item': {
    command: 'change-item',
    title: 'Change the form in which an item is stocked',
    act: (g) => `Change item ${words(g, 'code')}`,
    fields: [
      field('code', 'Item', 'item'),
      field('form', 'Form', 'choice', { optional: true, options: values.Form }),
      field('form_length', 'Length, mm', 'number', optional),
      field('form_width', 'Width, mm', 'number', { optional: true, hint: 'not of a round bar' }),
      field('form_thickness', 'Thickness, mm', 'number', { optional: true, hint: 'of a round bar its diameter' }),
      field('density', 'Density, kg/m³', 'number', optional),
      field('price_per', 'Priced per', 'choice', { optional: true, options: ['kg'], hint: 'empty: per stock unit' }),
    ],
  },
  'set-prices': {
    act: (g) => `Set the prices of ${words(g, 'item')}`,
    fields: [field('item', 'Item', 'item'), field('prices', 'Prices', 'prices', optional)],
    start: { prices: [] },
  },
  'set-list-prices': {
    act: (g) => `Set the list prices of ${words(g, 'item')}`,
    fields: [field('item', 'Item', 'item'), field('prices', 'List prices', 'list prices', optional)],
    start: { prices: [] },
  },
  'change-phantom': {
    act: (g) => (g['is_phantom'] ? `Pass ${words(g, 'item')} through` : `Stock ${words(g, 'item')}`),
    fields: [field('item', 'Item', 'made item'), field('is_phantom', 'A phantom', 'check')],
    start: { is_phantom: true },
  },
  'attach-document': {
    act: (g) => `Attach ${words(g, 'name')}`,
    fields: [field('item', 'Item', 'item'), field('name', 'Name', 'text')],
  },
  'detach-document': {
    act: (g) => `Detach ${words(g, 'name')}`,
    fields: [field('item', 'Item', 'item'), field('name', 'Name', 'text')],
  },
  'define-partner': {
    act: (g) => `Define partner ${words(g, 'code')}`,
    fields: [
      field('code', 'Code', 'text'),
      field('name', 'Name', 'text'),
      field('is_supplier', 'Supplies us', 'check'),
      field('is_customer', 'Buys from us', 'check'),
    ],
    start: { is_supplier: true, is_customer: false },
  },
  'change-partner': {
    act: (g) => `Change partner ${words(g, 'code')}`,
    fields: [
      field('code', 'Code', 'text'),
      field('name', 'Name', 'text', optional),
      field('is_supplier', 'Supplies us', 'check'),
      field('is_customer', 'Buys from us', 'check'),
    ],
  },
  'define-labour-grade': {
    act: (g) => `Define labour grade ${words(g, 'code')}`,
    fields: [field('code', 'Code', 'text'), field('name', 'Name', 'text'), field('rate', 'EUR per hour', 'number')],
  },
  'set-grade-rate': {
    act: (g) => `Set the rate of ${words(g, 'grade')}`,
    fields: [
      field('grade', 'Labour grade', 'labour grade'),
      field('effective_from', 'From', 'date', { optional: true, hint: 'empty: from the beginning' }),
      field('rate', 'EUR per hour', 'number'),
    ],
  },
  'set-overhead': {
    act: (g) => `Set the budget of ${words(g, 'code')}`,
    fields: [
      field('code', 'Code', 'text'),
      field('name', 'Name', 'text'),
      field('element', 'Is', 'choice', { options: ['variable overhead', 'fixed overhead', 'material overhead'] }),
      field('base', 'Charged by', 'choice', { options: values.Base }),
      field('work_center', 'At', 'work center', { optional: true, hint: 'empty: at every work center' }),
      field('effective_from', 'From', 'date'),
      field('effective_until', 'Until', 'date'),
      field('budget', 'Budget, EUR', 'number', { hint: 'of the whole period' }),
      field('capacity', 'Capacity', 'number', { hint: 'in the same period: hours, or EUR of the base' }),
      field('capacity_basis', 'Which is', 'choice', { options: values.CapacityBasis }),
    ],
    start: { element: 'fixed overhead', base: 'machine hours', capacity_basis: 'practical' },
  },
  'drop-overhead': {
    act: (g) => `Drop the budget of ${words(g, 'code')}`,
    fields: [field('code', 'Code', 'text'), field('effective_from', 'From', 'date')],
  },
  'set-rates': {
    act: (g) => `Set the rates of ${words(g, 'work_center')}`,
    fields: [
      field('work_center', 'Work center', 'work center'),
      field('effective_from', 'From', 'date', { optional: true, hint: 'empty: from the beginning' }),
      field('labour_rate', 'Labour, EUR/h', 'number', { hint: 'where an operation names no labour grade' }),
      field('layers', 'Machine hour', 'layers', optional),
    ],
    start: { layers: [] },
  },
  'define-place': {
    act: (g) => `Define place ${words(g, 'code')}`,
    fields: [
      field('code', 'Code', 'text'),
      field('name', 'Name', 'text'),
      field('kind', 'Kind', 'choice', { options: ['store', 'floor'] }),
    ],
    start: { kind: 'store' },
  },
  'define-reason': {
    act: (g) => `Define reason ${words(g, 'code')}`,
    fields: [
      field('code', 'Code', 'text'),
      field('name', 'Name', 'text'),
      field('use', 'Given for', 'choice', { options: values.Use }),
      field('is_written_off', 'Written off', 'check', {
        hint: 'scrap of this reason goes to expense; else it stays in the order and shows as yield',
      }),
    ],
    start: { use: 'scrap', is_written_off: false },
  },
  'define-work-center': {
    act: (g) => `Define work center ${words(g, 'code')}`,
    fields: [
      field('code', 'Code', 'text'),
      field('name', 'Name', 'text'),
      field('machine_rate', 'Machine, EUR/h', 'number'),
      field('labour_rate', 'Labour, EUR/h', 'number'),
      ...capacity,
    ],
  },
  'change-work-center': {
    act: (g) => `Change work center ${words(g, 'code')}`,
    fields: [
      field('code', 'Work center', 'work center'),
      field('name', 'Name', 'text', optional),
      ...capacity,
    ],
  },
  'define-calendar': {
    act: (g) => `Define calendar ${words(g, 'code')}`,
    fields: [
      field('code', 'Code', 'text'),
      field('name', 'Name', 'text'),
      field('zone', 'Time zone', 'text', { hint: 'such as Europe/Berlin' }),
      field('shifts', 'Week', 'week', optional),
    ],
    start: { zone: 'UTC', shifts: [0, 1, 2, 3, 4].map((weekday) => ({ weekday, start: 480, end: 960 })) },
  },
  'change-calendar': {
    act: (g) => `Change calendar ${words(g, 'code')}`,
    fields: [
      field('code', 'Calendar', 'calendar'),
      field('name', 'Name', 'text', optional),
      field('zone', 'Time zone', 'text', optional),
      field('shifts', 'Week', 'week', optional),
    ],
  },
  'close-days': { act: (g) => `Close days of ${words(g, 'calendar')}`, fields: [...days, field('why', 'Why', 'text', optional)] },
  'close-holidays': {
    act: (g) => `Close ${Array.isArray(g['holidays']) ? g['holidays'].length : 0} holidays`,
    fields: [field('calendar', 'Calendar', 'calendar')],
  },
  'open-days': { act: (g) => `Open days of ${words(g, 'calendar')}`, fields: days },
  'add-shift': {
    act: (g) => `Add a shift to ${words(g, 'calendar')}`,
    fields: [
      field('calendar', 'Calendar', 'calendar'),
      field('day', 'Day', 'date'),
      field('start', 'From', 'minute'),
      field('end', 'To', 'minute', { hint: 'not after "from": it ends on the next day' }),
      field('why', 'Why', 'text', optional),
    ],
  },
  'submit-structure': { act: (g) => `Submit ${words(g, 'item')} for review`, fields: revision },
  'send-back-structure': { act: (g) => `Send ${words(g, 'item')} back to draft`, fields: revision },
  'retire-structure': {
    act: (g) => `Retire the structure of ${words(g, 'item')}`,
    fields: [
      field('item', 'Item', 'made item'),
      field('effective_to', 'From', 'date', { hint: 'the first day without it' }),
      field('note', 'Why', 'text', optional),
    ],
  },
  'replace-component': {
    act: (g) => `Replace ${words(g, 'item')} by ${words(g, 'by')}`,
    fields: [
      field('item', 'Component', 'item'),
      field('by', 'Replaced by', 'item'),
      field('ratio', 'Ratio', 'number', { hint: 'of the new one for one of the old' }),
      field('effective_from', 'From', 'date'),
      field('note', 'Why', 'text', optional),
    ],
    start: { ratio: '1' },
  },
  'import-tables': { act: () => 'Import the file', fields: [] },
  'write-note': {
    act: (g) => `Write the note on ${words(g, 'code')}`,
    fields: [
      field('kind', 'On', 'choice', { options: ['item', 'structure', 'work center'] }),
      field('code', 'Code', 'text'),
      field('text', 'Note', 'text'),
    ],
    start: { kind: 'item' },
  },
  'approve-structure': {
    act: (g) => `Approve structure of ${words(g, 'item')}`,
    fields: [
      field('item', 'Item', 'made item'),
      field('effective_from', 'In force from', 'date', { optional: true, hint: 'empty: today' }),
      field('note', 'Why', 'text', optional),
    ],
  },
  'change-valuation': {
    act: (g) => `Value ${words(g, 'item')} by ${words(g, 'valuation')}`,
    fields: [
      field('item', 'Item', 'item'),
      field('valuation', 'Valued by', 'choice', {
        options: values.Method,
        hint: 'what is in stock is carried over',
      }),
      field('note', 'Why', 'text', optional),
    ],
  },
  'freeze-standard': {
    act: () => 'Freeze the standard',
    fields: [field('note', 'Why', 'text', optional)],
  },
  'roll-up-next': {
    act: () => 'Roll up the next standard',
    fields: [
      field('as_of', 'As of', 'date', { optional: true, hint: 'empty: today' }),
      field('note', 'Why', 'text', optional),
    ],
  },
  'activate-set': {
    act: () => 'Put this standard in force',
    fields: [field('cost_set', 'Set', 'cost set'), field('note', 'Why', 'text', optional)],
  },
  'write-what-if': {
    act: (g) => `Write what-if ${words(g, 'name')}`,
    fields: [
      field('name', 'Name', 'text', { hint: 'the same name again replaces it' }),
      field('base', 'Over', 'cost set', { optional: true, hint: 'empty: the standard in force' }),
      field('changes', 'Changes', 'changes', optional),
      field('note', 'Why', 'text', optional),
    ],
    start: { changes: [{ kind: 'price' }] },
  },
  'drop-what-if': { act: (g) => `Drop what-if ${words(g, 'name')}`, fields: [field('name', 'Name', 'text')] },
  'add-person': {
    act: (g) => `Add ${words(g, 'full_name')}`,
    fields: [
      field('name', 'Sign-in name', 'text'),
      field('full_name', 'Full name', 'text'),
      field('password', 'Password', 'password', { optional: true, hint: 'none: give a one-time code' }),
      field('roles', 'Roles', 'roles'),
    ],
    start: { roles: [] },
  },
  'deactivate-person': { act: (g) => `Deactivate ${words(g, 'name')}`, fields: [person] },
  'activate-person': { act: (g) => `Activate ${words(g, 'name')}`, fields: [person] },
  'end-sessions': { act: (g) => `Sign ${words(g, 'name')} out everywhere`, fields: [person] },
  'drop-second-factor': { act: (g) => `Take the second factor of ${words(g, 'name')} away`, fields: [person] },
  'close-demo': { act: () => 'Deactivate all persons of the demo', fields: [] },
  'set-zone': { act: (g) => `Count days in ${words(g, 'zone')}`, fields: [field('zone', 'Time zone', 'text', { hint: 'such as Europe/Berlin' })] },
  'set-roles': {
    act: (g) => `Set the roles of ${words(g, 'name')}`,
    fields: [field('name', 'Sign-in name', 'text'), field('roles', 'Roles', 'roles')],
    start: { roles: [] },
  },
};

export const forms: Record<string, FormSpec | undefined> = typed;

/** Return the command that a form carries out. */
export const commandOf = (form: string) => forms[form]?.command ?? form;

/** Return the input as the server takes it: what was left empty is left out. */
export function sent(given: Given): Given {
  return Object.fromEntries(Object.entries(given).filter(([, value]) => value !== '' && value !== undefined));
}

/** Tell whether everything that a form must have is there. */
export function isComplete(name: string, given: Given): boolean {
  const spec = forms[name];
  if (spec) {
    return spec.fields.every(
      (f) => f.optional || f.kind === 'check' || f.kind === 'roles' || (given[f.name] ?? '') !== '',
    );
  }
  switch (name) {
    case 'report':
      return given['operation'] !== undefined;
    case 'correct-report':
      return given['report'] !== undefined;
    case 'draft-structure':
      return true;
    default:
      return Array.isArray(given['lines']) && given['lines'].length > 0;
  }
}
