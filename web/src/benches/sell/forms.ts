/** What is asked for when customers order, and when goods leave. */

import { check, customer, date, forecasts, linesLeaving, linesOrdered, number, optional, place, text, wholeNumber } from '../../commands/entries';
import { commandForms, said } from '../../commands/form';

const order = { customer_order: wholeNumber('Order') };

export const forms = commandForms({
  'enter-customer-order': {
    act: (g) => `${g.is_offer === true ? 'Offer it to' : 'Enter the order of'} ${said(g.customer)}`,
    entries: {
      customer: customer('Customer'),
      their_number: text('Their number', optional),
      lines: linesOrdered('What is wanted; a price left out is the list price'),
      is_offer: check('An offer', { hint: 'it is not demand before it is accepted' }),
      note: text('Note', optional),
    },
    start: { lines: [{}] },
  },
  'add-customer-lines': {
    act: (g) => `Add to ${said(g.customer_order)}`,
    entries: { ...order, lines: linesOrdered('What is wanted more') },
    start: { lines: [{}] },
    fromPage: true,
  },
  'change-customer-line': {
    act: (g) => `Change line ${said(g.line)} of ${said(g.customer_order)}`,
    words: 'What is left empty stays as it is.',
    entries: {
      ...order,
      line: wholeNumber('Line'),
      quantity: number('Quantity', optional),
      wanted_on: date('Wanted on', optional),
      promised_on: date('Promised on', { optional: true, hint: 'what counts for planning, once it is said' }),
      price: number('EUR each', optional),
      priority: wholeNumber('Priority', { optional: true, hint: '1 is served first of what is wanted on one day, 9 last' }),
      is_planned: check('Planning counts it'),
    },
    fromPage: true,
  },
  'draft-line-structure': {
    act: (g) => `Draft one for line ${said(g.line)} of ${said(g.customer_order)}`,
    words: 'A copy of the standard, to be changed and approved for this line only. One that was approved is a draft again.',
    entries: { ...order, line: wholeNumber('Line') },
    fromPage: true,
  },
  'approve-line-structure': {
    act: (g) => `Approve for line ${said(g.line)} of ${said(g.customer_order)}`,
    words: 'Orders for this line are made by it, and its margin is told over what it costs. What it costs beyond the standard will be method variance of these orders.',
    entries: { ...order, line: wholeNumber('Line') },
    fromPage: true,
  },
  'give-up-line-structure': {
    act: (g) => `Give it up for line ${said(g.line)}`,
    words: 'Its own structure stays to be read.',
    entries: { ...order, line: wholeNumber('Line') },
    fromPage: true,
  },
  'accept-offer': { act: (g) => `Accept ${said(g.customer_order)}`, entries: order, fromPage: true },
  'make-to-order': {
    act: (g) => `Make what ${said(g.customer_order)} wants`,
    words: 'An order for each made line and each made component that stock does not cover, due when it is needed, with drafts to suppliers of what is missing.',
    entries: { ...order, buys: check('Buy what is missing') },
    start: { buys: true },
    fromPage: true,
  },
  'end-customer-order': { act: (g) => `End ${said(g.customer_order)}`, words: 'Nothing more of it leaves, and planning forgets it.', entries: order, fromPage: true },
  'reopen-customer-order': { act: (g) => `Reopen ${said(g.customer_order)}`, entries: order, fromPage: true },
  'deliver-ordered': {
    act: (g) => `Deliver of ${said(g.customer_order)}`,
    entries: {
      ...order,
      place: place('From'),
      lines: linesLeaving('What leaves; no line: all that is open. A lot left out: what expires or came first'),
      reason: text('Note', optional),
    },
    fromPage: true,
  },
  'enter-forecast': {
    act: () => 'Enter the forecast',
    words: "Customers' orders wanted in a span consume what is foreseen for it. A quantity of 0 takes it away.",
    entries: { forecasts: forecasts('What will be wanted; a group is shared over its items') },
    start: { forecasts: [{}] },
  },
});
