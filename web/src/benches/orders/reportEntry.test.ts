import type { Order } from '../../api/queries';
import { describe, expect, it } from 'vitest';
import type { Posting } from './queries';
import { dueReport, nextOperation, reportAct, reportGiven, reportOf } from './reportEntry';

const operation = (number: number, due: string, is_report_point = true) => ({ number, due, is_report_point }) as Order['operations'][number];

/** Mill, an inspection that is not reported, and assembly, with swarf at the mill. */
const order = {
  number: 7,
  operations: [operation(10, '4.000000'), operation(15, '0', false), operation(20, '15.500000')],
  inputs: [
    { operation: 10, kind: 'by-product', code: 'SWARF', still: '1.100000' },
    { operation: 10, kind: 'run machine', code: 'MILL', still: '2' },
  ],
  grades: [],
} as unknown as Order;

describe('a run report', () => {
  it('begins at the last operation that has pieces before it', () => {
    expect(nextOperation(order)).toBe(20);
    expect(nextOperation({ ...order, next_operation: 10 })).toBe(10);
    expect(nextOperation({ ...order, next_operation: null })).toBe(20);
  });

  it('is filled in with what is due, and leaves what follows from it to the server', () => {
    expect(reportGiven(dueReport(order, 10))).toEqual({
      order: 7,
      operation: 10,
      good: '4',
      scrap: [],
      by_products: [{ item: 'SWARF', quantity: '1.1' }],
      receive: '0',
      grades: [],
      complete: false,
    });
    expect(reportGiven(dueReport(order, 20))).toMatchObject({ good: '15.5', receive: 'ready', complete: 'when received' });
  });

  it('sends what was typed as it was typed, and nothing that was left empty', () => {
    const entry = dueReport(order, 20);
    const given = reportGiven({
      ...entry,
      good: '0.1',
      scrap: [
        { reason: 'CRACK', quantity: '0.2' },
        { reason: 'DROPPED', quantity: '' },
      ],
      hours: { 'run machine': '0.30', 'setup labour': '' },
      setups: '2',
      receive: '0.3',
      complete: 'yes',
    });

    expect(given).toEqual({
      order: 7,
      operation: 20,
      good: '0.1',
      scrap: [{ reason: 'CRACK', quantity: '0.2' }],
      by_products: [],
      run_machine_hours: '0.30',
      times_set_up: 2,
      receive: '0.3',
      grades: [],
      complete: true,
    });
  });

  it('names the act with exact sums', () => {
    const entry = { ...dueReport(order, 10), good: '0.3', scrap: ['0.1', '0.2'].map((quantity) => ({ reason: 'CRACK', quantity })) };

    expect(reportAct(entry)).toBe('Report 0.3 good, 0.3 scrap');
    expect(reportGiven({ ...entry, reason: ' tin was full ' })).toMatchObject({ reason: 'tin was full' });
    expect(reportGiven({ ...entry, then: 'replenish' })).toMatchObject({ then: 'replenish' });
    expect(reportGiven({ ...entry, then: 'replenish', scrap: [] })).not.toHaveProperty('then');
    expect(reportAct({ ...entry, receive: 'ready', scrap: [] })).toBe('Report 0.3 good and receive');
    expect(reportAct({ ...entry, receive: '2', scrap: [], corrects: 9 })).toBe('Correct to 0.3 good, receive 2');
  });
});

describe('a correction', () => {
  const graded = { ...order, grades: [{ item: 'A' }, { item: 'B' }] } as unknown as Order;

  const posting = {
    number: 31,
    order: 7,
    operation: 20,
    units: [
      { operation: 10, kind: 'good', reason: '', quantity: '9' },
      { operation: 20, kind: 'good', reason: '', quantity: '5.000000' },
      { operation: 20, kind: 'scrap', reason: 'Cracked', quantity: '1.000000' },
    ],
    stock: [{ operation: 20, item: 'SWARF', from_place: 'Work in process', quantity: '0.500000' }],
    times: [
      { operation: 20, kind: 'run machine', quantity: '1.250000', person: '' },
      { operation: 20, kind: 'run labour', quantity: '2.000000', person: 'lotte', overtime: '0.500000' },
      { operation: 20, kind: 'run labour', quantity: '1.000000', person: 'tom', overtime: '0.000000' },
      { operation: 20, kind: 'times set up', quantity: '2.000000' },
    ],
    act_received: [
      { item: 'A', quantity: '0.100000' },
      { item: 'B', quantity: '0.200000' },
    ],
    act_received_quantity: '0.300000',
    reason: '',
    money: [{ account: 'overhead expense' }],
    act_completes: true,
  } as unknown as Posting;

  it('offers again all that the act did', () => {
    const entry = reportOf(graded, posting, [{ code: 'CRACK', name: 'Cracked' }]);

    expect(entry).toMatchObject({
      good: '5',
      scrap: [{ reason: 'CRACK', quantity: '1' }],
      by_products: [{ item: 'SWARF', quantity: '0.5' }],
      hours: { 'run machine': '1.25' },
      setups: '2',
      receive: '0.3',
      grades: [
        { item: 'A', quantity: '0.1' },
        { item: 'B', quantity: '0.2' },
      ],
      complete: 'yes',
    });
    expect(entry.corrects).toBe(31);
    expect(reportGiven({ ...entry, hours: { ...entry.hours, 'run labour': '9' } })).toMatchObject({
      people: [
        { person: 'lotte', hours: '2', overtime: '0.5', is_setup: false },
        { person: 'tom', hours: '1', overtime: '0', is_setup: false },
      ],
      overtime_to: 'the work center',
    });
    expect(reportGiven({ ...entry, people: [{ person: 'tom', hours: '3', overtime: '', is_setup: false, machines: '3' }] })).toMatchObject({ people: [{ person: 'tom', hours: '3', machines: 3 }] });
    expect(reportGiven({ ...entry, people: [{ person: 'tom', hours: '', overtime: '', is_setup: false, machines: '' }] })).toMatchObject({ people: [{ person: 'tom', hours: '' }] });
    expect(reportGiven({ ...entry, hours: { 'run labour': '9' } })).not.toHaveProperty('run_labour_hours');
    expect(reportGiven(entry)).toMatchObject({ receive: '0.3', complete: true });
  });

  it('of an order whose output is not graded sorts nothing', () => {
    const received = [{ item: 'CELL', quantity: '4.000000' }];

    expect(reportGiven(reportOf(order, { ...posting, act_received: received, act_received_quantity: '4.000000' }, []))).toMatchObject({
      receive: '4',
      grades: [],
    });
  });

  it('of a report that received nothing offers nothing', () => {
    const entry = reportOf(graded, { ...posting, act_received: [], act_received_quantity: '0', act_completes: false }, []);

    expect(reportGiven(entry)).toMatchObject({ receive: '0', grades: [], complete: false });
  });
});
