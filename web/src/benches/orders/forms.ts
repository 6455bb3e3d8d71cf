/** What is asked for in the life of an order. */

import { check, choice, date, gradesReceived, madeItem, number, optional, order, place, text, wholeNumber } from '../../commands/entries';
import { commandForms, said } from '../../commands/form';
import { IssueForm, ReceiveMaterialForm, ReturnForm } from './MaterialForms';
import { CorrectReportForm, ReportForm } from './ReportForm';

export const forms = commandForms({
  'plan-order': {
    act: (g) => `Plan ${said(g.quantity)} of ${said(g.item)}`,
    entries: {
      item: madeItem('Item'),
      quantity: number('Quantity'),
      due: date('Due'),
      supply_place: place('Components from'),
      receipt_place: place('Output to'),
      note: text('Wanted by', { optional: true, hint: 'such as a customer order' }),
    },
  },
  'release-order': { act: (g) => `Release order ${said(g.order)}`, entries: { order: order('Order') } },
  'cancel-order': { act: (g) => `Cancel order ${said(g.order)}`, entries: { order: order('Order') } },
  'complete-order': {
    act: (g) => `Complete order ${said(g.order)}`,
    entries: {
      order: order('Order'),
      leftovers: choice('Leftovers', ['return', 'charge'], { hint: 'return what was not worked in, or charge it as used' }),
      reason: text('Why', optional),
    },
    start: { leftovers: 'return' },
  },
  receive: {
    act: (g) => `Receive ${said(g.quantity)} from order ${said(g.order)}`,
    entries: {
      order: order('Order'),
      quantity: number('Quantity'),
      grades: gradesReceived('Sorted into'),
      place: place('Into', { optional: true, hint: "empty: the order's own place" }),
      complete: check('Complete the order'),
    },
    start: { complete: false },
  },
  'take-back': {
    act: (g) => `Take back posting ${said(g.posting)}`,
    entries: { posting: wholeNumber('Posting'), reason: text('Why', optional) },
  },
  report: { own: ReportForm, fromPage: true },
  'correct-report': { own: CorrectReportForm, fromPage: true },
  'issue-material': { own: IssueForm, fromPage: true },
  'return-material': { own: ReturnForm, fromPage: true },
  'receive-material': { own: ReceiveMaterialForm },
});
