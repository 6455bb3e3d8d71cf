/** What is asked for to freeze, compare and replace standards, and to close an order. */

import { values } from '../../api/values';
import { changes, choice, costSet, date, item, optional, order, text } from '../../commands/entries';
import { commandForms, said } from '../../commands/form';

export const forms = commandForms({
  'close-order': { act: (g) => `Close order ${said(g.order)}`, entries: { order: order('Order') } },
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
