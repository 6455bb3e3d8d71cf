import type { Bench } from '../../bench';
import { itemForms } from './itemForms';
import { keys } from './keys';
import { personForms } from './personForms';
import { routes } from './routes';
import { shopForms } from './shopForms';
import { structureForms } from './structureForms';

export const bench: Bench = {
  bar: [{ place: 2, to: '/define', name: 'Define' }],
  routes,
  forms: { ...itemForms, ...structureForms, ...shopForms, ...personForms },
  keys,
  pages: [
    ['/define/work-centers', 'Work centers'],
    ['/define/calendars', 'Calendars'],
    ['/define/partners', 'Partners: suppliers and customers'],
    ['/define/places', 'Places where stock lies'],
    ['/define/reasons', 'Reasons for scrap, over-issue, holds, adjustments'],
    ['/define/persons', 'Persons and their roles'],
    ['/define/lacks', 'What would stop the next order'],
    ['/define/exchange', 'Import and export'],
  ],
  found: {
    item: 'Items',
    lot: 'Lots and serials',
    'work center': 'Work centers',
    partner: 'Partners',
    document: 'Documents',
  },
  opens: { item: (code) => `/define/items/${encodeURIComponent(code)}` },
};
