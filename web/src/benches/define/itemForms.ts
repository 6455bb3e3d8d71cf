/** What is asked for to define items, what belongs to them, and what comes in by file. */

import { values } from '../../api/values';
import { check, choice, item, listPrices, madeItem, number, optional, ownUnits, prices, text, unit, wholeNumber } from '../../commands/entries';
import { commandForms, partForm, said } from '../../commands/form';

export const itemForms = {
  ...commandForms({
    'define-item': {
      act: (g) => `Define item ${said(g.code)}`,
      entries: {
        code: text('Code'),
        name: text('Name'),
        source: choice('Buy or make', values.Source),
        unit: unit('Unit'),
        step: number('Step', { optional: true, hint: "empty: the unit's usual step" }),
        price: number('Price, EUR per unit', { optional: true, hint: 'of a bought item, for the standard' }),
        standard_lot: number('Standard lot', { optional: true, hint: 'of a made item; empty: 1' }),
      },
      start: { source: 'buy', unit: 'pcs' },
    },
    'change-item': {
      act: (g) => `Change item ${said(g.code)}`,
      entries: {
        code: item('Item'),
        name: text('Name', optional),
        price: number('Price, EUR per unit', { optional: true, hint: 'where no supplier has a price' }),
        standard_lot: number('Standard lot', { optional: true, hint: 'made at once, or bought at once' }),
        item_group: text('Group', { optional: true, hint: 'what it belongs to in forecasts and books' }),
        source: choice('Buy or make', values.Source, optional),
        valuation: choice('Valued at', ['moving average', 'standard', 'FIFO layers', 'lot actual'], optional),
        own_units: ownUnits('Own units', optional),
        inactive_reason: text('Inactive because', { optional: true, hint: 'said when it is made inactive' }),
      },
    },
    'set-prices': {
      act: (g) => `Set the prices of ${said(g.item)}`,
      entries: { item: item('Item'), prices: prices('Prices') },
      start: { prices: [] },
    },
    'set-list-prices': {
      act: (g) => `Set the list prices of ${said(g.item)}`,
      entries: { item: item('Item'), prices: listPrices('List prices') },
      start: { prices: [] },
    },
    'change-phantom': {
      act: (g) => (g.is_phantom ? `Pass ${said(g.item)} through` : `Stock ${said(g.item)}`),
      entries: { item: madeItem('Item'), is_phantom: check('A phantom') },
      start: { is_phantom: true },
    },
    'attach-document': {
      fromPage: true,
      act: (g) => `Attach ${said(g.name)}`,
      entries: { item: item('Item'), name: text('Name') },
    },
    'detach-document': {
      fromPage: true,
      act: (g) => `Detach ${said(g.name)}`,
      entries: { item: item('Item'), name: text('Name') },
    },
    'write-note': {
      act: (g) => `Write the note on ${said(g.code)}`,
      entries: {
        kind: choice('On', ['item', 'structure', 'work center', 'order']),
        code: text('Code'),
        text: text('Note'),
      },
      start: { kind: 'item' },
    },
    'import-tables': { fromPage: true, act: () => 'Import the file', entries: {} },
  }),
  'plan-item': partForm('change-item', {
    title: 'Change how an item is planned and told apart',
    act: (g) => `Change item ${said(g.code)}`,
    entries: {
      code: item('Item'),
      lot_rule: choice('Lot sizing', values.LotRule, optional),
      lead_time_days: wholeNumber('Lead time, days', { optional: true, hint: 'working days from ordering to having' }),
      lot_minimum: number('At least', optional),
      lot_multiple: number('In multiples of', optional),
      lot_maximum: number('At most', { optional: true, hint: 'more is made or bought in several orders' }),
      lot_days: wholeNumber('Days of supply', { optional: true, hint: 'working days that one lot covers' }),
      ordering_cost: number('Cost of one order, EUR', { optional: true, hint: 'or of setting up once; empty: 40' }),
      safety_stock: number('Safety stock', { optional: true, hint: 'of a reorder point: that' }),
      over_receipt: number('May come over', { optional: true, hint: 'a share of the order that may be received on top: 0.05; empty: as it is' }),
      under_receipt: number('May be missing', { optional: true, hint: 'a share of the order that may be missing at its completion without a reason: 0.02; empty: as it is' }),
      tracking: choice('Told apart by', values.Tracking, optional),
      is_inspected: check('Inspected', { hint: 'what a supplier sends waits in quarantine until it is judged' }),
      gtin: text('GTIN', { optional: true, hint: 'its last digit checks the others' }),
      number_rule: text('Numbers', { optional: true, hint: 'such as HT-{year}-{number:4}' }),
    },
  }),
  'form-item': partForm('change-item', {
    title: 'Change the form in which an item is stocked',
    act: (g) => `Change item ${said(g.code)}`,
    entries: {
      code: item('Item'),
      form: choice('Form', values.Form, optional),
      form_length: number('Length, mm', optional),
      form_width: number('Width, mm', { optional: true, hint: 'not of a round bar' }),
      form_thickness: number('Thickness, mm', { optional: true, hint: 'of a round bar its diameter' }),
      density: number('Density, kg/m³', optional),
      price_per: choice('Priced per', ['kg'], { optional: true, hint: 'empty: per stock unit' }),
    },
  }),
};
