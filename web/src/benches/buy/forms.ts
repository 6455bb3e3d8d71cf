/** What is asked for when something is bought. */

import { calendar, check, date, number, optional, order, partsSent, place, purchaseLines, reason, supplier, text, wholeNumber } from '../../commands/entries';
import { commandForms, ownForm, said } from '../../commands/form';
import { InvoiceForm, LandedForm } from './InvoiceForms';
import { ChangeForm, ConfirmForm, ReceiveForm } from './LinesForms';

const purchase = { purchase: wholeNumber('Order') };

export const forms = {
  ...commandForms({
    'draft-purchase': {
      act: (g) => `${g.send === true ? 'Order' : 'Draft an order'} of ${said(g.supplier)}`,
      entries: {
        supplier: supplier('Supplier'),
        lines: purchaseLines('What is bought; price and day are proposed where they are left out'),
        note: text('Note', optional),
        send: check('Send at once', { hint: 'from then on it is expected' }),
      },
      start: { lines: [{}] },
    },
    'buy-missing': {
      act: (g) => `Draft orders of ${Array.isArray(g.lines) ? g.lines.length : 0} items`,
      entries: {},
      words: 'Each supplier gets one draft, with prices by the lists and days by lead time; change it before it is sent.',
      fromPage: true,
    },
    'copy-purchase': {
      act: (g) => `Copy ${said(g.purchase)}`,
      entries: { ...purchase, comes_on: date('There on', { optional: true, hint: 'empty: by each lead time from today' }) },
      fromPage: true,
    },
    'send-purchase': { act: (g) => `Send ${said(g.purchase)}`, entries: purchase, fromPage: true },
    'confirm-purchase': { own: ConfirmForm, fromPage: true },
    'change-purchase': { own: ChangeForm, fromPage: true },
    'finish-purchase': {
      act: (g) => `Finish ${said(g.purchase)} with what came`,
      entries: { ...purchase, missing: reason('Units that are out', 'scrap', { optional: true, hint: 'of work: for what those that do not come back are scrapped' }), reason: text('Why', optional) },
      fromPage: true,
    },
    'cancel-purchase': { act: (g) => `Cancel ${said(g.purchase)}`, entries: purchase, fromPage: true },
    'receive-purchase': { own: ReceiveForm, fromPage: true },
    'return-to-supplier': {
      act: (g) => `Send ${said(g.quantity)} back`,
      entries: {
        delivery: wholeNumber('Delivery'),
        quantity: number('Quantity', { hint: 'in the stock unit' }),
        place: place('From', { optional: true, hint: 'empty: where it was put' }),
        is_replaced: check('Comes again', { hint: 'the supplier sends it again' }),
        reason: text('Why'),
      },
      start: { is_replaced: true },
      fromPage: true,
    },
    'ship-to-supplier': {
      act: (g) => `Send ${said(g.quantity)} of order ${said(g.order)}`,
      entries: {
        order: order('Order'),
        operation: wholeNumber('Operation', { hint: 'that the supplier does' }),
        quantity: number('Units'),
        again: check('Goes again', { hint: 'it came back set aside for rework' }),
        carrier: text('Carrier', optional),
        packages: wholeNumber('Packages', optional),
        weight: number('Weight, kg', optional),
        marks: text('Marks', { optional: true, hint: 'lots, serials, what stands on the units' }),
        components: partsSent('Components that go along, issued to the order'),
        reason: text('Note', optional),
      },
    },
    'set-supplier-times': {
      act: (g) => `Say when ${said(g.supplier)} works`,
      entries: {
        supplier: supplier('Supplier'),
        calendar: calendar('Works by', { optional: true, hint: 'empty: his days are counted round the clock' }),
        transport_days: number('The way to him [days]', { optional: true, hint: 'each way' }),
      },
      fromPage: true,
    },
    'set-stand-in': {
      act: (g) => `Say how the simulated ${said(g.supplier)} behaves`,
      words: 'A stand-in answers for a supplier where nobody real does. Shares and amounts are percent; the same seed decides the same.',
      entries: {
        supplier: supplier('Supplier'),
        late: wholeNumber('Promises later, of 100 lines'),
        days: wholeNumber('by at most, days'),
        short: wholeNumber('Sends fewer, of 100 lines'),
        missing: wholeNumber('by, %'),
        dearer: wholeNumber('Asks more, of 100 lines'),
        more: wholeNumber('by, %'),
        seed: wholeNumber('Seed'),
      },
      fromPage: true,
    },
    'post-invoice': { own: InvoiceForm },
  }),
  'land-costs': ownForm('post-invoice', LandedForm, 'Enter freight and other costs'),
};
