/** What is asked for on the way of a structure into force and out of it. */

import { date, item, madeItem, number, optional, text } from '../../commands/entries';
import { commandForms, said } from '../../commands/form';

const revision = { item: madeItem('Item'), note: text('Why', optional) };

export const structureForms = commandForms({
  'submit-structure': { act: (g) => `Submit ${said(g.item)} for review`, entries: revision },
  'send-back-structure': { act: (g) => `Send ${said(g.item)} back to draft`, entries: revision },
  'approve-structure': {
    act: (g) => `Approve structure of ${said(g.item)}`,
    entries: {
      item: madeItem('Item'),
      effective_from: date('In force from', { optional: true, hint: 'empty: today' }),
      note: text('Why', optional),
    },
  },
  'retire-structure': {
    act: (g) => `Retire the structure of ${said(g.item)}`,
    entries: {
      item: madeItem('Item'),
      effective_to: date('From', { hint: 'the first day without it' }),
      note: text('Why', optional),
    },
  },
  'replace-component': {
    act: (g) => `Replace ${said(g.item)} by ${said(g.by)}`,
    entries: {
      item: item('Component'),
      by: item('Replaced by'),
      ratio: number('Ratio', { hint: 'of the new one for one of the old' }),
      effective_from: date('From'),
      note: text('Why', optional),
    },
    start: { ratio: '1' },
  },
  'draft-structure': {
    fromPage: true,
    act: (g) => `Draft a structure of ${said(g.item)}`,
    entries: {},
    words: 'The draft as entered on the left.',
  },
});
