/** What is asked for when material is picked, carried and labelled. */

import { choice, item, number, optional, order, place, reason, text, wholeNumber } from '../../commands/entries';
import { commandForms, said } from '../../commands/form';
import { MakePickListForm, PrintLabelsForm } from './PickForms';

export const forms = commandForms({
  'make-pick-list': { own: MakePickListForm },
  pick: {
    act: (g) => `Take ${said(g.quantity)}`,
    entries: {
      line: wholeNumber('Line'),
      quantity: number('Quantity'),
      place: place('Taken at', { optional: true, hint: 'empty: as the list says' }),
      target: text('Put at', { optional: true, hint: 'a floor place or a carrier' }),
      why: reason('Why it is more', 'over-issue', optional),
      reason: text('Note', optional),
    },
    fromPage: true,
  },
  'pick-short': {
    act: () => 'List the rest otherwise',
    entries: { line: wholeNumber('Line'), how: choice('The rest', ['other place', 'alternate', 'later']), item: item('Alternate', optional) },
    start: { how: 'other place' },
    fromPage: true,
  },
  'put-back': {
    act: (g) => `Put back ${said(g.quantity)}`,
    entries: {
      line: wholeNumber('Line'),
      quantity: number('Quantity'),
      place: place('To', { optional: true, hint: 'empty: where it was taken from' }),
      reason: text('Why', optional),
    },
    fromPage: true,
  },
  'issue-picked': { act: (g) => `Issue to order ${said(g.order)}`, entries: { order: order('Order'), reason: text('Note', optional) } },
  'define-carrier': {
    act: (g) => `Define carrier ${said(g.code)}`,
    entries: {
      code: text('Code'),
      name: text('Name', optional),
      stands_at: place('Stands at'),
      scan_code: text('Scan code', { optional: true, hint: 'empty: its code' }),
    },
  },
  'move-carrier': {
    act: (g) => `Move ${said(g.carrier)} to ${said(g.to_place)}`,
    entries: { carrier: text('Carrier'), to_place: place('To') },
  },
  'print-labels': { own: PrintLabelsForm },
});
