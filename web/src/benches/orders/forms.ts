/** What is asked for in the life of an order. */

import { check, choice, customer, date, gradesReceived, item, madeItem, number, optional, order, place, text, wholeNumber } from '../../commands/entries';
import { commandForms, said } from '../../commands/form';
import { IssueForm, ReceiveMaterialForm, ReturnForm } from './MaterialForms';
import { PlanTableForm, ReleaseOrdersForm } from './PlanForms';
import { CorrectReportForm, ReportForm } from './ReportForm';

const wanted = {
  customer: customer('Customer', optional),
  customer_order: text('Their order', optional),
  customer_line: text('Line', optional),
  wanted_on: date('Wanted on', optional),
  note: text('Note', optional),
};

export const forms = commandForms({
  'plan-order': {
    act: (g) => (g.quantity ? `Plan ${said(g.quantity)} of ${said(g.item)}` : `Plan ${said(g.item)} from ${said(g.lot)}`),
    entries: {
      item: madeItem('Item'),
      quantity: number('Quantity', { optional: true, hint: 'empty: a lot sets it' }),
      due: date('Due'),
      lot_of: item('From a lot of', { optional: true, hint: 'the component that limits' }),
      lot: text('Which lot', optional),
      lot_quantity: number('Of it', { optional: true, hint: 'empty: all that is there' }),
      supply_place: place('Components from', { optional: true, hint: 'empty: as for its last order' }),
      receipt_place: place('Output to', { optional: true, hint: 'empty: as for its last order' }),
      ...wanted,
    },
  },
  'plan-orders': { own: PlanTableForm },
  'copy-order': {
    act: (g) => `Copy order ${said(g.order)}`,
    entries: { order: order('Order'), due: date('Due'), quantity: number('Quantity', { optional: true, hint: 'empty: the same' }) },
  },
  'change-order': {
    act: (g) => `Change order ${said(g.order)}`,
    entries: {
      order: order('Order'),
      quantity: number('Quantity', optional),
      due: date('Due', optional),
      supply_place: place('Components from', optional),
      receipt_place: place('Output to', optional),
      ...wanted,
    },
  },
  'make-firm': { act: (g) => `Make order ${said(g.order)} firm`, entries: { order: order('Order') } },
  'leave-to-planning': { act: (g) => `Leave order ${said(g.order)} to planning`, entries: { order: order('Order') } },
  'rederive-order': { act: (g) => `Re-derive order ${said(g.order)}`, entries: { order: order('Order') } },
  'withdraw-release': { act: (g) => `Take back the release of ${said(g.order)}`, entries: { order: order('Order') } },
  'release-orders': { own: ReleaseOrdersForm, fromPage: true },
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
