/** What is asked for when a plan is run, tried otherwise, accepted or declined. */

import { check, date, item, number, optional, supplier, text, wholeNumber, workCenter } from '../../commands/entries';
import { commandForms, said } from '../../commands/form';

const many = (g: Record<string, unknown>) => (Array.isArray(g['proposals']) ? g['proposals'].length : 0);
const horizon = wholeNumber('Working days ahead', { optional: true, hint: 'empty: 90' });

const frozen = wholeNumber('Days that are frozen', { optional: true, hint: 'working days from today in which nothing new is to be there; empty: none' });

export const forms = commandForms({
  'run-plan': { act: () => 'Run the plan', entries: { horizon, frozen } },
  'plan-changes': { act: () => 'Plan what changed', words: 'As far ahead as the last plan; what was decided of it stays.', entries: {} },
  'try-plan': {
    act: () => 'Try it',
    words: 'A what-if stands beside the plan and changes nothing.',
    entries: {
      demand: number('Demand, %', { optional: true, hint: 'of what customers order and what is foreseen' }),
      supplier: supplier('Supplier who sends nothing', optional),
      back_on: date('before', optional),
      work_center: workCenter('Work center that is closed', optional),
      closed_until: date('up to', optional),
      horizon,
      frozen,
    },
  },
  'accept-proposals': {
    act: (g) => `Accept ${many(g)} proposals`,
    words: 'What is to be made becomes planned orders; what is to be bought a draft to each supplier.',
    entries: {
      together: check('All of an item together', { hint: 'one order of the sum, due when the first is' }),
      firm: check('Firm at once', { hint: 'planning leaves what is made alone' }),
    },
    fromPage: true,
  },
  'accept-changed': {
    act: (g) => `Accept ${said(g.quantity)} for ${said(g.due)}`,
    words: 'The next run plans what is missing then.',
    entries: {
      proposal: wholeNumber('Proposal'),
      quantity: number('Quantity', { optional: true, hint: 'empty: as proposed' }),
      due: date('Due', { optional: true, hint: 'empty: as proposed' }),
    },
    fromPage: true,
  },
  'decline-proposals': { act: (g) => `Decline ${many(g)} proposals`, entries: { reason: text('Why'), until: date('Not before', { optional: true, hint: 'of these items nothing is proposed until then; empty: the next run may' }) }, fromPage: true },
  'propose-again': { act: (g) => `Propose ${said(g.item)} again`, entries: { item: item('Item') }, fromPage: true },
});
