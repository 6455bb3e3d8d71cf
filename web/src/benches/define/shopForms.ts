/** What is asked for of work centers, rates, calendars, places and partners. */

import { values } from '../../api/values';
import { calendar, check, choice, date, labourGrade, layers, minute, number, optional, place, site, text, week, wholeNumber, workCenter } from '../../commands/entries';
import { commandForms, said } from '../../commands/form';

const capacity = {
  calendar: calendar('Calendar', { optional: true, hint: 'none: weekdays from 8 to 16' }),
  machines: wholeNumber('Machines', { optional: true, hint: 'or people, where they set the pace' }),
  efficiency: number('Efficiency', { optional: true, hint: 'share of the standard pace, such as 0.85' }),
  floor_place: place('Floor place', { optional: true, hint: 'where its material is brought before use' }),
};
const way = wholeNumber('Days of a transfer to it', { optional: true, hint: 'working days that it is on its way; empty: as it is, at first 1' });
const days = { calendar: calendar('Calendar'), first: date('First day'), last: date('Last day') };

export const shopForms = commandForms({
  'define-labour-grade': {
    act: (g) => `Define labour grade ${said(g.code)}`,
    entries: { code: text('Code'), name: text('Name'), rate: number('EUR per hour'), overtime_premium: number('Overtime premium', { optional: true, hint: 'a share of the rate: 0.25; empty: none' }) },
  },
  'set-grade-rate': {
    act: (g) => `Set the rate of ${said(g.grade)}`,
    entries: {
      grade: labourGrade('Labour grade'),
      effective_from: date('From', { optional: true, hint: 'empty: from the beginning' }),
      rate: number('EUR per hour'),
      overtime_premium: number('Overtime premium', { optional: true, hint: 'a share of the rate; empty: as it is' }),
    },
  },
  'set-overhead': {
    act: (g) => `Set the budget of ${said(g.code)}`,
    entries: {
      code: text('Code'),
      name: text('Name'),
      element: choice('Is', ['variable overhead', 'fixed overhead', 'material overhead']),
      base: choice('Charged by', values.Base),
      work_center: workCenter('At', { optional: true, hint: 'empty: at every work center' }),
      effective_from: date('From'),
      effective_until: date('Until'),
      budget: number('Budget, EUR', { hint: 'of the whole period' }),
      capacity: number('Capacity', { hint: 'in the same period: hours, or EUR of the base' }),
      capacity_basis: choice('Which is', values.CapacityBasis),
    },
    start: { element: 'fixed overhead', base: 'machine hours', capacity_basis: 'practical' },
  },
  'drop-overhead': {
    act: (g) => `Drop the budget of ${said(g.code)}`,
    entries: { code: text('Code'), effective_from: date('From') },
  },
  'set-rates': {
    act: (g) => `Set the rates of ${said(g.work_center)}`,
    entries: {
      work_center: workCenter('Work center'),
      effective_from: date('From', { optional: true, hint: 'empty: from the beginning' }),
      labour_rate: number('Labour, EUR/h', { hint: 'where an operation names no labour grade' }),
      layers: layers('Machine hour'),
    },
    start: { layers: [] },
  },
  'define-place': {
    act: (g) => `Define place ${said(g.code)}`,
    entries: {
      code: text('Code'),
      name: text('Name'),
      kind: choice('Kind', ['store', 'floor']),
      site: site('Site', { optional: true, hint: 'needed where there are several' }),
      walk_order: wholeNumber('Walked to', { optional: true, hint: 'who picks goes to lower numbers first' }),
      scan_code: text('Scan code', { optional: true, hint: 'empty: its code' }),
    },
    start: { kind: 'store' },
  },
  'change-place': {
    act: (g) => `Change place ${said(g.code)}`,
    entries: {
      code: place('Place'),
      name: text('Name', optional),
      site: site('Site', optional),
      walk_order: wholeNumber('Walked to', optional),
      scan_code: text('Scan code', optional),
    },
  },
  'define-site': {
    act: (g) => `Define site ${said(g.code)}`,
    entries: { code: text('Code'), name: text('Name'), address: text('Address', { optional: true, hint: 'as it stands on papers' }), transfer_days: way },
  },
  'change-site': {
    fromPage: true,
    act: (g) => `Change site ${said(g.code)}`,
    entries: { code: site('Site'), name: text('Name', optional), address: text('Address', { optional: true, hint: 'as it stands on papers' }), transfer_days: way },
  },
  'define-reason': {
    act: (g) => `Define reason ${said(g.code)}`,
    entries: {
      code: text('Code'),
      name: text('Name'),
      use: choice('Given for', values.Use),
      is_written_off: check('Written off', {
        hint: 'scrap of this reason goes to expense; else it stays in the order and shows as yield',
      }),
    },
    start: { use: 'scrap', is_written_off: false },
  },
  'define-work-center': {
    act: (g) => `Define work center ${said(g.code)}`,
    entries: {
      code: text('Code'),
      name: text('Name'),
      machine_rate: number('Machine, EUR/h'),
      labour_rate: number('Labour, EUR/h'),
      ...capacity,
    },
  },
  'change-work-center': {
    act: (g) => `Change work center ${said(g.code)}`,
    entries: {
      code: workCenter('Work center'),
      name: text('Name', optional),
      ...capacity,
    },
  },
  'define-calendar': {
    act: (g) => `Define calendar ${said(g.code)}`,
    entries: {
      code: text('Code'),
      name: text('Name'),
      zone: text('Time zone', { hint: 'such as Europe/Berlin' }),
      shifts: week('Week', optional),
    },
    start: { zone: 'UTC', shifts: [0, 1, 2, 3, 4].map((weekday) => ({ weekday, start: 480, end: 960 })) },
  },
  'change-calendar': {
    act: (g) => `Change calendar ${said(g.code)}`,
    entries: {
      code: calendar('Calendar'),
      name: text('Name', optional),
      zone: text('Time zone', optional),
      shifts: week('Week', optional),
    },
  },
  'close-days': { act: (g) => `Close days of ${said(g.calendar)}`, entries: { ...days, why: text('Why', optional) } },
  'close-holidays': {
    fromPage: true,
    act: (g) => `Close ${Array.isArray(g.holidays) ? g.holidays.length : 0} holidays`,
    entries: { calendar: calendar('Calendar') },
  },
  'open-days': { act: (g) => `Open days of ${said(g.calendar)}`, entries: days },
  'add-shift': {
    act: (g) => `Add a shift to ${said(g.calendar)}`,
    entries: {
      calendar: calendar('Calendar'),
      day: date('Day'),
      start: minute('From'),
      end: minute('To', { hint: 'not after "from": it ends on the next day' }),
      why: text('Why', optional),
    },
  },
  'define-partner': {
    act: (g) => `Define partner ${said(g.code)}`,
    entries: {
      code: text('Code'),
      name: text('Name'),
      is_supplier: check('Supplies us'),
      is_customer: check('Buys from us'),
      address: text('Address', { optional: true, hint: 'as it stands on papers' }),
    },
    start: { is_supplier: true, is_customer: false },
  },
  'change-partner': {
    fromPage: true,
    act: (g) => `Change partner ${said(g.code)}`,
    entries: {
      code: text('Code'),
      name: text('Name', optional),
      is_supplier: check('Supplies us'),
      is_customer: check('Buys from us'),
      address: text('Address', { optional: true, hint: 'as it stands on papers' }),
    },
  },
});
