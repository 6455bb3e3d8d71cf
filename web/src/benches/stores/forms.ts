/** What is asked for when stock moves, is counted, and is told apart. */

import { check, choice, date, item, number, optional, place, reason, stockLines, text, wholeNumber } from '../../commands/entries';
import { commandForms, said } from '../../commands/form';
import { CountForm } from './CountForm';
import { ReceiveTransferForm } from './ReceiveTransferForm';

const lot = { item: item('Item'), lot: text('Lot') };

export const forms = commandForms({
  'move-stock': {
    act: (g) => `Move stock to ${said(g.to_place)}`,
    entries: { from_place: place('From'), to_place: place('To'), lines: stockLines('What is moved'), reason: text('Why', optional) },
    start: { lines: [{}] },
  },
  'scrap-stock': {
    act: (g) => `Scrap ${said(g.quantity)} of ${said(g.item)}`,
    entries: {
      item: item('Item'),
      quantity: number('Quantity'),
      place: place('At'),
      lot: text('Lot', { optional: true, hint: 'of a tracked item; empty: what expires first' }),
      why: reason('Cause', 'scrap'),
      reason: text('Note', optional),
    },
  },
  'adjust-stock': {
    act: (g) => `Put ${said(g.item)} right`,
    entries: {
      item: item('Item'),
      place: place('At'),
      lot: text('Lot', { optional: true, hint: 'of a tracked item' }),
      on_hand: number('Really there'),
      why: reason('Cause', 'adjustment'),
      reason: text('Note', optional),
    },
  },
  'send-transfer': {
    act: (g) => `Send to ${said(g.to_place)}`,
    entries: {
      from_place: place('From'),
      to_place: place('To'),
      expected_on: date('There on', optional),
      lines: stockLines('What is sent'),
      reason: text('Note', optional),
    },
    start: { lines: [{}] },
  },
  'receive-transfer': { own: ReceiveTransferForm, fromPage: true },
  'open-count': {
    act: (g) => `Count ${said(g.place || g.item)}`,
    entries: {
      place: place('Place', { optional: true, hint: 'all that lies there' }),
      item: item('Or item', { optional: true, hint: 'wherever it lies' }),
      is_blind: check('Blind', { hint: 'who counts is not told what should be there' }),
      tolerance: number('Tolerance', { hint: 'share that a count may differ by before it is counted again' }),
    },
    start: { is_blind: true, tolerance: '0.02' },
  },
  'enter-count': { own: CountForm, fromPage: true },
  'post-count': {
    act: (g) => `Post count ${said(g.count)}`,
    entries: {
      count: wholeNumber('Count'),
      why: reason('Cause', 'adjustment', { optional: true, hint: 'where there are differences' }),
      reason: text('Note', optional),
    },
    fromPage: true,
  },
  'drop-count': { act: (g) => `Drop count ${said(g.count)}`, entries: { count: wholeNumber('Count') }, fromPage: true },
  'judge-lot': {
    act: (g) => `${said(g.lot)} is ${said(g.state)}`,
    entries: { ...lot, state: choice('Is', ['usable', 'quarantined', 'rejected']), reason: text('Why') },
    start: { state: 'quarantined' },
  },
  'correct-lot': {
    act: (g) => `Correct ${said(g.lot)}`,
    entries: {
      ...lot,
      code: text('Another code', optional),
      supplier_code: text("Supplier's code", optional),
      made_on: date('Made on', optional),
      expires_on: date('Last day', optional),
      never_expires: check('Does not expire'),
      reason: text('Why'),
    },
  },
  'split-lot': {
    act: (g) => `Split ${said(g.lot)}`,
    entries: { ...lot, place: place('At'), quantity: number('Quantity'), into: text('Becomes lot') },
  },
  'join-lots': {
    act: (g) => `Join ${said(g.lot)} to ${said(g.into)}`,
    entries: { ...lot, place: place('At'), into: text('Goes on as lot') },
  },
});
