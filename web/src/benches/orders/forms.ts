/** What is asked for in the life of an order. */

import { check, choice, customer, date, gradesReceived, item, labourGrade, lotsChosen, madeItem, number, optional, order, orderNumbers, place, reason, supplier, text, wholeNumber, workCenter } from '../../commands/entries';
import { commandForms, said } from '../../commands/form';
import { IssueForm, ReceiveMaterialForm, ReturnForm } from './MaterialForms';
import { values } from '../../api/values';
import { PlanTableForm, ReleaseOrdersForm } from './PlanForms';
import { PlanTreeForm } from './TreeForm';
import { CorrectReportForm, ReportForm } from './ReportForm';

const wanted = {
  customer: customer('Customer', optional),
  customer_order: text('Their order', optional),
  customer_line: text('Line', optional),
  wanted_on: date('Wanted on', optional),
  note: text('Note', optional),
};

const reserve = choice('Keep stock', values.ReserveRule, { optional: true, hint: 'empty: whichever, the first to expire first' });
const lots = lotsChosen('Lots by hand');

/** what is changed for one order only */
const at = { order: order('Order'), operation: wholeNumber('Operation') };
const why = text('Why');
const hours = {
  setup_labour_hours: number('Set-up, people h', optional),
  setup_machine_hours: number('Set-up, machine h', optional),
  run_labour_hours: number('A unit, people h', optional),
  run_machine_hours: number('A unit, machine h', optional),
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
  'begin-orders-at': { act: (g) => `Begin orders at ${said(g.number)}`, entries: { number: wholeNumber('First number') } },
  'plan-orders': { own: PlanTableForm },
  'plan-tree': { own: PlanTreeForm },
  'release-part': {
    act: (g) => `Release a part of order ${said(g.order)}`,
    entries: {
      order: order('Order'),
      quantity: number('Quantity', { optional: true, hint: 'empty: all that is left' }),
      unit: text('In', { optional: true, hint: "a unit of the item's own, such as a crate; empty: its stock unit" }),
      from_operation: wholeNumber('From operation', { optional: true, hint: 'empty: the first' }),
      to_operation: wholeNumber('To operation', { optional: true, hint: 'empty: the last' }),
      reserve,
    },
  },
  'save-view': { act: (g) => `Save the view ${said(g.name)}`, entries: { name: text('Name') }, fromPage: true },
  'drop-view': { act: (g) => `Drop the view ${said(g.name)}`, entries: { name: text('Name') }, fromPage: true },
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
      carry_down: check('Carry down', { hint: 'change the orders of its components with it' }),
      ...wanted,
    },
  },
  'start-operation': { act: (g) => `Start operation ${said(g.operation)} of order ${said(g.order)}`, entries: at },
  'pause-operation': { act: (g) => `Pause operation ${said(g.operation)} of order ${said(g.order)}`, entries: { ...at, reason: text('Why', optional) } },
  'finish-operation': { act: (g) => `Finish operation ${said(g.operation)} of order ${said(g.order)}`, entries: at },
  'attach-order-document': {
    fromPage: true,
    act: (g) => `Attach ${said(g.name)}`,
    entries: { order: order('Order'), name: text('Name'), operation: wholeNumber('Operation', { optional: true, hint: 'empty: of the whole order' }) },
  },
  'detach-order-document': {
    fromPage: true,
    act: (g) => `Detach ${said(g.name)}`,
    entries: { order: order('Order'), name: text('Name') },
  },
  'weigh-by-product': {
    act: (g) => `Put ${said(g.quantity)} of ${said(g.item)} into stock`,
    entries: {
      item: item('By-product'),
      quantity: number('Weighed', { hint: 'for all orders together' }),
      place: place('Place', { optional: true, hint: "empty: each order's own" }),
      note: text('Note', optional),
    },
  },
  'split-order': {
    act: (g) => `Split ${said(g.quantity)} off order ${said(g.order)}`,
    entries: {
      order: order('Order'),
      quantity: number('New order makes'),
      due: date('Due', { optional: true, hint: 'empty: as it is' }),
      after: wholeNumber('Taken out after', { optional: true, hint: 'operation: what is good there goes along, with its cost. Empty: it begins anew' }),
      units: number('Pieces taken', { optional: true, hint: 'empty: as many as it needs and are there' }),
    },
  },
  'merge-orders': {
    act: (g) => `Make ${said(g.order)} with ${said(g.into)}`,
    entries: { order: order('Order'), into: order('With order') },
  },
  'make-firm': { act: (g) => `Make order ${said(g.order)} firm`, entries: { order: order('Order') } },
  'leave-to-planning': { act: (g) => `Leave order ${said(g.order)} to planning`, entries: { order: order('Order') } },
  'rederive-order': { act: (g) => `Re-derive order ${said(g.order)}`, entries: { order: order('Order') } },
  'withdraw-release': { act: (g) => `Take back the release of ${said(g.order)}`, entries: { order: order('Order') } },
  'release-orders': { own: ReleaseOrdersForm, fromPage: true },
  'release-order': { act: (g) => `Release order ${said(g.order)}`, entries: { order: order('Order'), reserve, lots } },
  'add-component': {
    act: (g) => `Add ${said(g.item)} to order ${said(g.order)}`,
    entries: {
      ...at,
      item: item('Item'),
      quantity: number('Quantity'),
      per: choice('For', values.Per, { hint: 'each unit worked on, or the whole order' }),
      issue_rule: choice('Issued', ['by hand', 'at operation']),
      reason: why,
    },
    start: { per: 'unit', issue_rule: 'by hand' },
  },
  'change-component': {
    act: (g) => `Take another quantity of ${said(g.item)} for order ${said(g.order)}`,
    entries: { ...at, item: item('Item'), quantity: number('Quantity', { hint: 'for what its line is stated for, allowance included' }), reason: why },
  },
  'drop-component': {
    act: (g) => `Leave ${said(g.item)} out of order ${said(g.order)}`,
    entries: { ...at, item: item('Item'), reason: why },
  },
  'substitute-component': {
    act: (g) => `Take ${said(g.instead)} instead of ${said(g.item)} for order ${said(g.order)}`,
    entries: { ...at, item: item('Item'), instead: item('Instead'), ratio: number('For one of it', { hint: 'how much of the other item' }), reason: why },
    start: { ratio: '1' },
  },
  'allow-alternate': {
    act: (g) => `Allow ${said(g.alternate)} in the place of ${said(g.item)}`,
    entries: { ...at, item: item('Item'), alternate: item('Alternate'), ratio: number('For one of it', { hint: 'how much of the alternate' }), reason: why },
    start: { ratio: '1' },
  },
  'add-operation': {
    act: (g) => `Add operation ${said(g.operation)} to order ${said(g.order)}`,
    entries: {
      ...at,
      name: text('Name'),
      work_center: workCenter('Work center'),
      after: wholeNumber('Comes after', { optional: true, hint: 'empty: the one numbered before' }),
      labour_grade: labourGrade('Labour grade', { optional: true, hint: "empty: the work center's own rate" }),
      ...hours,
      yield_share: number('Good share', { optional: true, hint: 'empty: all' }),
      reason: why,
    },
  },
  'change-operation': {
    act: (g) => `Change operation ${said(g.operation)} of order ${said(g.order)}`,
    entries: { ...at, name: text('Name', optional), ...hours, yield_share: number('Good share', optional), reason: why },
  },
  'do-operation-inside': {
    act: (g) => `Do operation ${said(g.operation)} of order ${said(g.order)} inside`,
    entries: { ...at, work_center: workCenter('At'), ...hours, reason: why },
  },
  'send-operation-out': {
    act: (g) => `Send operation ${said(g.operation)} of order ${said(g.order)} to ${said(g.supplier)}`,
    entries: {
      ...at,
      supplier: supplier('Supplier'),
      price: number('Price of a piece [EUR]'),
      payment_basis: choice('Paid on', ['good pieces returned', 'pieces sent']),
      days_out: number('Days out', { hint: 'of his calendar, without the way' }),
      reason: why,
    },
    start: { payment_basis: 'good pieces returned' },
  },
  'plan-rework': {
    act: (g) => `Plan rework of operation ${said(g.operation)}`,
    words: 'Pieces that were set aside stand on the list of the work center until they are reported out of rework; what they take is booked to rework.',
    entries: {
      ...at,
      name: text('What is done'),
      work_center: workCenter('At'),
      labour_grade: labourGrade('Labour grade', { optional: true, hint: "empty: the work center's own rate" }),
      run_labour_hours: number('A piece, people h', optional),
      run_machine_hours: number('A piece, machine h', optional),
    },
  },
  'move-operation': {
    act: (g) => `Do operation ${said(g.operation)} at ${said(g.work_center)}`,
    entries: { ...at, work_center: workCenter('Work center'), reason: why },
  },
  'drop-operation': {
    act: (g) => `Leave operation ${said(g.operation)} out of order ${said(g.order)}`,
    entries: { ...at, reason: why },
  },
  'replenish-order': { act: (g) => `Replenish order ${said(g.order)}`, entries: { order: order('Order'), reason: text('Why', optional) } },
  'accept-less': { act: (g) => `Make fewer of order ${said(g.order)}`, entries: { order: order('Order'), reason: text('Why', optional) } },
  'adopt-revision': { act: (g) => `Adopt the revision in force for order ${said(g.order)}`, entries: { order: order('Order'), reason: why } },
  'charge-extra': {
    act: (g) => `Charge ${said(g.amount)} EUR to order ${said(g.order)}`,
    entries: {
      order: order('Order'),
      operation: wholeNumber('Operation'),
      amount: number('EUR'),
      element: choice('Borne as', ['material', 'run labour', 'machine', 'variable overhead', 'subcontract']),
      source: choice('Comes from', ['an invoice to come', 'labour of our own', 'overhead']),
      reason: text('Why'),
    },
    start: { element: 'material', source: 'an invoice to come' },
  },
  'hold-order': {
    act: (g) => `Hold order ${said(g.order)}`,
    entries: { order: order('Order'), why: reason('Why', 'hold'), note: text('Note', optional) },
  },
  'resume-order': { act: (g) => `Resume order ${said(g.order)}`, entries: { order: order('Order'), note: text('Note', optional) } },
  'keep-order': {
    act: (g) => `Keep order ${said(g.order)}`,
    entries: { order: order('Order'), until: date('Until'), reason: text('Why') },
  },
  'finish-short': {
    act: (g) => `Finish order ${said(g.order)} short`,
    entries: {
      order: order('Order'),
      reason: text('Why'),
      leftovers: choice('Leftovers', ['return', 'charge'], { hint: 'return what was not worked in, or charge it as used' }),
    },
    start: { leftovers: 'return' },
  },
  unwind: {
    act: (g) => `Unwind ${said(g.orders)}`,
    entries: {
      orders: orderNumbers('Orders', { hint: 'several with commas' }),
      to: choice('Back to', ['before the last report', 'released', 'nothing']),
      reason: text('Why', optional),
    },
    start: { to: 'released' },
  },
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
      reason: text('Why', { optional: true, hint: 'where more than ordered comes' }),
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
