/** What each command asks for, where a plain list of entries is enough. */

export type FieldKind =
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
  | 'roles'
  | 'choice';

export interface FieldSpec {
  name: string;
  label: string;
  kind: FieldKind;
  optional?: boolean;
  hint?: string;
  options?: string[];
}

export interface FormSpec {
  /** what the posting button says, naming the act and its object */
  act: (given: Given) => string;
  fields: FieldSpec[];
  /** entries filled in before the person has typed anything */
  start?: Given;
}

export type Given = Record<string, unknown>;

const field = (name: string, label: string, kind: FieldKind, more: Partial<FieldSpec> = {}) => ({
  name,
  label,
  kind,
  ...more,
});
const order = field('order', 'Order', 'order');
const optional = { optional: true };
const words = (given: Given, name: string) => String(given[name] ?? '');

const capacity = [
  field('calendar', 'Calendar', 'calendar', { optional: true, hint: 'none: weekdays from 8 to 16' }),
  field('machines', 'Machines', 'number', { optional: true, hint: 'or people, where they set the pace' }),
  field('efficiency', 'Efficiency', 'number', { optional: true, hint: 'share of the standard pace, such as 0.85' }),
];
const days = [field('calendar', 'Calendar', 'calendar'), field('first', 'First day', 'date'), field('last', 'Last day', 'date')];
const revision = [field('item', 'Item', 'made item'), field('note', 'Why', 'text', optional)];

export const forms: Record<string, FormSpec> = {
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
      field('source', 'Buy or make', 'choice', { options: ['buy', 'make'] }),
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
      field('price', 'Price, EUR per unit', 'number', optional),
      field('standard_lot', 'Standard lot', 'number', optional),
      field('density', 'Density, kg/m³', 'number', { optional: true, hint: 'for lines measured by mass' }),
      field('own_units', 'Own units', 'own units', optional),
      field('inactive_reason', 'Inactive because', 'text', { optional: true, hint: 'said when it is made inactive' }),
    ],
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
    fields: [field('code', 'Code', 'text'), field('name', 'Name', 'text')],
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
      field('machine_rate', 'Machine, EUR/h', 'number', optional),
      field('labour_rate', 'Labour, EUR/h', 'number', optional),
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
      field('kind', 'On', 'choice', { options: ['item', 'work center'] }),
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
  'freeze-standard': {
    act: () => 'Freeze the standard',
    fields: [field('note', 'Why', 'text', optional)],
  },
  'add-person': {
    act: (g) => `Add ${words(g, 'full_name')}`,
    fields: [
      field('name', 'Sign-in name', 'text'),
      field('full_name', 'Full name', 'text'),
      field('password', 'Password', 'password', { hint: 'eight characters or more' }),
      field('roles', 'Roles', 'roles'),
    ],
    start: { roles: [] },
  },
  'set-roles': {
    act: (g) => `Set the roles of ${words(g, 'name')}`,
    fields: [field('name', 'Sign-in name', 'text'), field('roles', 'Roles', 'roles')],
    start: { roles: [] },
  },
};

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
