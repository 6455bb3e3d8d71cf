import { describe, expect, it } from 'vitest';
import type { Revision } from './queries';
import { afterGiven, alternatesGiven, bareLinesOf, blankLine, blankOperation, blankStep, blankWhole, componentsBy, draftGiven, draftOf, linesFromTsv, wholeOf } from './draft';
import { shift } from '../../lib/decimal';

const revision: Revision = {
  item: 'CELL',
  name: 'Cell',
  letter: 'A',
  state: 'approved',
  batch_quantity: '1.000000',
  standard_lot: '20.000000',
  share_rule: 'physical measure',
  main_weight: '0.490000',
  grades: [{ item: 'CELL-A', share: '1', weight: '2' }],
  approved_at: null,
  note: '',
  change: 1,
  operations: [
    {
      number: 10,
      name: 'Mill',
      work_center: 'MILL',
      setup_labour_hours: '1.000000',
      setup_machine_hours: '0.000000',
      run_labour_hours: '0.250000',
      run_machine_hours: '0.250000',
      run_quantity: '12.000000',
      runs_whole_batches: true,
      machines: 2,
      queue_hours: '0.000000',
      wait_hours: '4.000000',
      move_hours: '0.000000',
      transfer_quantity: null,
      yield_share: '0.950000',
      is_report_point: true,
      after: null,
      crew: '0.500000',
      labour_grade: 'FIT',
      alternate_centers: ['LATHE'],
      supplier: null,
      subcontract_price: '0.000000',
      payment_basis: '',
      days_out: '0.000000',
      steps: [{ kind: 'measurement', text: 'Bore', unit: 'mm', lower: '20.000', upper: '20.021', picture: '', item: '' }],
    },
    {
      number: 20,
      name: 'Fit',
      work_center: 'ASSY',
      setup_labour_hours: '0.000000',
      setup_machine_hours: '0.000000',
      run_labour_hours: '0.200000',
      run_machine_hours: '0.000000',
      run_quantity: '1.000000',
      runs_whole_batches: false,
      machines: 1,
      queue_hours: '0.000000',
      wait_hours: '0.000000',
      move_hours: '0.000000',
      transfer_quantity: '5.000000',
      yield_share: '1.000000',
      is_report_point: true,
      after: [],
      crew: null,
      labour_grade: null,
      alternate_centers: [],
      supplier: 'COAT',
      subcontract_price: '9.800000',
      payment_basis: 'pieces sent',
      days_out: '5.000000',
      steps: [],
    },
  ],
  components: [
    {
      item: 'BAR',
      name: 'Bar',
      unit: 'm',
      operation: 10,
      quantity: '122.000000',
      line_unit: 'mm',
      per: 'unit',
      allowance: '0.025000',
      issue_rule: 'at operation',
      measured_by: '',
      length: null,
      width: null,
      thickness: null,
      mix: 'M1',
      reference: 'pos 3',
      alternates: [{ item: 'BAR-2', ratio: '2.000' }],
      effective_from: null,
      effective_until: '2027-01-31',
    },
    {
      item: 'PLATE',
      name: 'Plate',
      unit: 'kg',
      operation: 20,
      quantity: '2.000000',
      line_unit: 'kg',
      per: 'order',
      allowance: '0.000000',
      issue_rule: 'by hand',
      measured_by: 'mass',
      length: '100.000000',
      width: '50.000000',
      thickness: '20.000000',
      mix: '',
      reference: '',
      alternates: [],
      effective_from: null,
      effective_until: null,
    },
  ],
  outputs: [
    { item: 'SWARF', name: 'Swarf', unit: 'kg', operation: 10, quantity: '1.100000', kind: 'by-product', credit_price: '1.200000', weight: '0.000000' },
    { item: 'RING', name: 'Ring', unit: 'pcs', operation: 10, quantity: '3.000000', kind: 'co-product', credit_price: '0.000000', weight: '0.055000' },
  ],
};

describe('a draft', () => {
  it('says as people say it what the server keeps', () => {
    const [mill, fit] = draftOf(revision);

    expect([mill?.yield, mill?.lines[0]?.allowance, mill?.after, fit?.after]).toEqual(['95', '2.5', '', '-']);
    expect([mill?.setup_machine_hours, fit?.transfer_quantity]).toEqual(['', '5']);
  });

  it('goes back to the server as it came', () => {
    const given = draftGiven('CELL', wholeOf(revision), draftOf(revision));

    expect(given['operations']).toMatchObject([
      { number: 10, yield_share: '0.95', run_quantity: '12', runs_whole_batches: true, machines: 2, wait_hours: '4', crew: '0.5', labour_grade: 'FIT', alternate_centers: ['LATHE'], steps: [{ kind: 'measurement', text: 'Bore', unit: 'mm', lower: '20', upper: '20.021' }] },
      { number: 20, yield_share: '1', after: [], transfer_quantity: '5', supplier: 'COAT', subcontract_price: '9.8', payment_basis: 'pieces sent', days_out: '5' },
    ]);
    expect((given['operations'] as object[])[0]).not.toHaveProperty('after');
    expect(given['components']).toEqual([
      { item: 'BAR', operation: 10, quantity: '122', per: 'unit', allowance: '0.025', issue_rule: 'at operation', unit: 'mm', mix: 'M1', reference: 'pos 3', alternates: [{ item: 'BAR-2', ratio: '2' }], effective_until: '2027-01-31' },
      { item: 'PLATE', operation: 20, quantity: '2', per: 'order', allowance: '0', issue_rule: 'by hand', alternates: [], measured_by: 'mass', length: '100', width: '50', thickness: '20' },
    ]);
    expect(given['outputs']).toEqual([
      { item: 'SWARF', operation: 10, kind: 'by-product', quantity: '1.1', credit_price: '1.2' },
      { item: 'RING', operation: 10, kind: 'co-product', quantity: '3', weight: '0.055' },
    ]);
    expect(given).toMatchObject({ share_rule: 'physical measure', main_weight: '0.49', grades: [{ item: 'CELL-A', share: '1', weight: '2' }] });
  });

  it('leaves out lines without an item', () => {
    const operation = { ...blankOperation(10, 'MILL'), lines: [blankLine('component'), blankLine('by-product')] };

    const given = draftGiven('CELL', { ...blankWhole, batch: '' }, [operation]);

    expect([given['components'], given['outputs'], given['batch_quantity']]).toEqual([[], [], '1']);
  });

  it('keeps the lines of a phantom without operations free of one', () => {
    const line = { ...revision.components[0]!, operation: 0 };
    const kit = { ...revision, operations: [], components: [line], outputs: [] };

    const given = draftGiven('KIT', blankWhole, draftOf(kit), bareLinesOf(kit));

    expect(given['components']).toMatchObject([{ item: 'BAR', quantity: '122' }]);
    expect((given['components'] as object[])[0]).not.toHaveProperty('operation');
  });

  it('reads what may be used in a place', () => {
    expect(alternatesGiven('BR-14, 2 × BR-15')).toEqual([
      { item: 'BR-14', ratio: '1' },
      { item: 'BR-15', ratio: '2' },
    ]);
  });

  it('moves the decimal point without a float', () => {
    expect([shift('0.95', 2), shift('95', -2), shift('7', -2), shift('0.000001', 2), shift('', -2)]).toEqual(['95', '0.95', '0.07', '0.0001', '0']);
  });

  it('reads what must come before an operation', () => {
    expect([afterGiven(''), afterGiven('-'), afterGiven('10, 20')]).toEqual([{}, { after: [] }, { after: [10, 20] }]);
  });
});

describe('pasted cells', () => {
  it('become component lines, with or without a head', () => {
    const text = 'BAR\t0,122\tm\t2,5 %\tpos 1\r\nPAD\t9\r\n\r\n';

    const lines = linesFromTsv(text);

    expect(lines.map((l) => [l.item, l.quantity, l.unit, l.allowance, l.reference])).toEqual([
      ['BAR', '0.122', 'm', '2.5', 'pos 1'],
      ['PAD', '9', '', '', ''],
    ]);
    const named = linesFromTsv(`code\tquantity\n${text}`);
    expect(named.map((l) => l.item)).toEqual(['BAR', 'PAD']);
    expect(new Set([...lines, ...named].map((l) => l.id)).size).toBe(4);
  });
});

describe('a step that notes a lot', () => {
  const at = (number: string, ...items: string[]) => ({
    ...blankOperation(Number(number), 'MILL'),
    lines: [...items.map((item) => ({ ...blankLine('component'), item })), { ...blankLine('by-product'), item: 'SWARF' }],
  });

  it('chooses among the components that went in by then', () => {
    const [first, second, third] = [at('10', 'PLATE', ''), at('30', 'PAD'), at('20', 'LENS')];
    const all = [first, second, third];

    expect(componentsBy(all, first)).toEqual(['PLATE']);
    expect(componentsBy(all, third)).toEqual(['PLATE', 'LENS']);
    expect(componentsBy(all, second)).toEqual(['PLATE', 'PAD', 'LENS']);
  });

  it('sends the component, and other steps do not', () => {
    const step = { ...blankStep('lot'), text: 'Lot of the plate', item: 'PLATE' };
    const operation = { ...at('10', 'PLATE'), steps: [step, { ...step, kind: 'tick' as const }] };

    expect(draftGiven('CELL', blankWhole, [operation]).operations?.[0]?.steps).toEqual([
      { kind: 'lot', text: 'Lot of the plate', item: 'PLATE' },
      { kind: 'tick', text: 'Lot of the plate' },
    ]);
  });
});
