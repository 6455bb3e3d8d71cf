/** What is asked for to freeze, compare and replace standards, and to close an order. */

import { values } from '../../api/values';
import { actualCosts, changes, check, choice, costSet, customer, date, item, linesDelivered, number, optional, order, orderNumbers, place, text, wholeNumber, workCenter } from '../../commands/entries';
import { commandForms, said } from '../../commands/form';

export const forms = commandForms({
  'close-order': { act: (g) => `Close order ${said(g.order)}`, entries: { order: order('Order') } },
  'close-orders': {
    act: () => 'Close orders',
    words: 'Completed orders whose variance is within the limit; those beyond it stay open and are told.',
    entries: {
      most_variance: number('Most variance', { optional: true, hint: 'EUR, either way; empty: no limit' }),
      finished_by: date('Finished by', optional),
      orders: orderNumbers('Orders', { optional: true, hint: 'empty: all that are completed' }),
    },
  },
  'set-closing-rule': {
    act: (g) => (g.is_on ? 'Let the night close orders' : 'Close no order at night'),
    entries: {
      is_on: check('Close at night'),
      most_variance: number('Most variance', { hint: 'EUR, either way' }),
      days: wholeNumber('Days after', { hint: 'they were finished' }),
    },
    start: { is_on: true, days: 3 },
  },
  'follow-up-variance': {
    act: (g) => `Note it on order ${said(g.order)}`,
    entries: {
      order: order('Order'),
      cause: text('Cause', { optional: true, hint: 'such as yield; empty: all of it' }),
      note: text('What was found'),
      owner: text('Who looks after it', { optional: true, hint: 'sign-in name' }),
      look_again_on: date('Look again on', optional),
      is_done: check('Settled'),
    },
  },
  'carry-late-cost': {
    act: () => 'Carry late cost on',
    words: 'What receipts turned out to cost goes to where their pieces went: stock, orders, what those made, what was delivered.',
    entries: { reason: text('Why', optional) },
  },
  'enter-actual-cost': {
    act: () => 'Enter what work centers cost',
    entries: { month: date('A day of the month'), costs: actualCosts('Cost by work center'), reason: text('Why', optional) },
    start: { costs: [{ kind: 'labour' }] },
  },
  'close-period': {
    act: () => 'Close the month',
    words: 'Nothing more posts into it: late entries go into the open month and say where they belong.',
    entries: {
      month: date('A day of the month'),
      at_standard: check('WIP at standard', { hint: 'variance to date is taken out, and back when the next month begins' }),
      at_actual: check('Stock at actual', { hint: 'what standards differ by is carried to stock and to what was sold, and back when the next month begins' }),
      reason: text('Note', optional),
    },
  },
  'reopen-period': {
    act: () => 'Open the month again',
    words: 'What its closing posted is taken back.',
    entries: { month: date('A day of the month'), reason: text('Why') },
  },
  'set-variance-threshold': {
    act: (g) => `Set it for ${said(g.item ?? g.work_center)}`,
    words: 'Today tells of an order once its unfavourable variance is both so much money and such a share of what is allowed.',
    entries: {
      item: item('Item', { optional: true, hint: 'or' }),
      work_center: workCenter('Work center', { optional: true }),
      amount: number('From', { optional: true, hint: 'EUR; both empty: 10 EUR and 0.02' }),
      share: number('Share', { optional: true, hint: '0.02 is 2 %' }),
    },
  },
  'set-account-code': {
    act: (g) => `Call it ${said(g.code)}`,
    entries: {
      account: choice('Account', values.Account),
      work_center: workCenter('Work center', { optional: true, hint: 'where it has its own' }),
      item: item('Item', { optional: true, hint: 'where it has its own' }),
      item_group: text('Item group', { optional: true, hint: 'where it has its own' }),
      code: text('Code', { optional: true, hint: 'empty: none' }),
    },
  },
  deliver: {
    act: (g) => `Deliver to ${said(g.customer)}`,
    entries: {
      customer: customer('Customer'),
      customer_order: text('Their order', optional),
      place: place('From'),
      lines: linesDelivered('What leaves'),
      reason: text('Note', optional),
    },
    start: { lines: [{}] },
  },
  'change-valuation': {
    act: (g) => `Value ${said(g.item)} by ${said(g.valuation)}`,
    entries: {
      item: item('Item'),
      valuation: choice('Valued by', values.Method, { hint: 'what is in stock is carried over' }),
      note: text('Why', optional),
    },
  },
  'freeze-standard': {
    act: () => 'Freeze the standard',
    entries: { note: text('Why', optional) },
  },
  'roll-up-next': {
    act: () => 'Roll up the next standard',
    entries: {
      as_of: date('As of', { optional: true, hint: 'empty: today' }),
      note: text('Why', optional),
    },
  },
  'activate-set': {
    act: () => 'Put this standard in force',
    entries: { cost_set: costSet('Set'), note: text('Why', optional) },
  },
  'write-what-if': {
    act: (g) => `Write what-if ${said(g.name)}`,
    entries: {
      name: text('Name', { hint: 'the same name again replaces it' }),
      base: costSet('Over', { optional: true, hint: 'empty: the standard in force' }),
      changes: changes('Changes'),
      note: text('Why', optional),
    },
    start: { changes: [{ kind: 'price' }] },
  },
  'drop-what-if': { act: (g) => `Drop what-if ${said(g.name)}`, entries: { name: text('Name') } },
});
