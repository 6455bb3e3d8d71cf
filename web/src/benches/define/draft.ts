import type { Revision } from '../../api/queries';
import type { Given } from '../../commands/forms';
import { plain } from '../../lib/decimal';

export interface DraftLine {
  kind: 'component' | 'by-product';
  item: string;
  quantity: string;
  per: string;
  /** in percent, as people say it */
  allowance: string;
  issue_rule: string;
  credit_price: string;
}

export interface DraftOperation {
  number: string;
  name: string;
  work_center: string;
  setup_labour_hours: string;
  setup_machine_hours: string;
  run_labour_hours: string;
  run_machine_hours: string;
  /** in percent */
  yield: string;
  is_report_point: boolean;
  lines: DraftLine[];
}

export const hourFields = ['setup_labour_hours', 'setup_machine_hours', 'run_labour_hours', 'run_machine_hours'] as const;

/** Move the decimal point of a text by some places, without going through a float. */
export function shift(text: string, places: number): string {
  const [whole = '0', part = ''] = (text || '0').split('.');
  if (places > 0) {
    const digits = part.padEnd(places, '0');
    return plain(`${whole}${digits.slice(0, places)}.${digits.slice(places) || '0'}`.replace(/^0+(?=\d)/, ''));
  }
  const digits = whole.padStart(1 - places, '0');
  return plain(`${digits.slice(0, places)}.${digits.slice(places)}${part}`);
}

export function blankLine(kind: DraftLine['kind']): DraftLine {
  return { kind, item: '', quantity: '', per: 'unit', allowance: '', issue_rule: 'by hand', credit_price: '' };
}

export function blankOperation(number: number, workCenter: string): DraftOperation {
  return {
    number: String(number),
    name: '',
    work_center: workCenter,
    setup_labour_hours: '',
    setup_machine_hours: '',
    run_labour_hours: '',
    run_machine_hours: '',
    yield: '100',
    is_report_point: true,
    lines: [],
  };
}

const orEmpty = (text: string) => (plain(text) === '0' ? '' : plain(text));

/** Return a revision as it is edited: each operation with its lines. */
export function draftOf(revision: Revision): DraftOperation[] {
  return revision.operations.map((o) => ({
    number: String(o.number),
    name: o.name,
    work_center: o.work_center,
    setup_labour_hours: orEmpty(o.setup_labour_hours),
    setup_machine_hours: orEmpty(o.setup_machine_hours),
    run_labour_hours: orEmpty(o.run_labour_hours),
    run_machine_hours: orEmpty(o.run_machine_hours),
    yield: shift(o.yield_share, 2),
    is_report_point: o.is_report_point,
    lines: [
      ...revision.components
        .filter((c) => c.operation === o.number)
        .map((c): DraftLine => ({
          ...blankLine('component'),
          item: c.item,
          quantity: plain(c.quantity),
          per: c.per,
          allowance: orEmpty(shift(c.allowance, 2)),
          issue_rule: c.issue_rule,
        })),
      ...revision.outputs
        .filter((b) => b.operation === o.number)
        .map((b): DraftLine => ({
          ...blankLine('by-product'),
          item: b.item,
          quantity: plain(b.quantity),
          credit_price: plain(b.credit_price),
        })),
    ],
  }));
}

/** Return the draft as the server takes it; rows left wholly empty are left out. */
export function draftGiven(item: string, batchQuantity: string, operations: DraftOperation[]): Given {
  const lines = operations.flatMap((o) => o.lines.filter((l) => l.item).map((l) => ({ ...l, operation: Number(o.number) })));
  return {
    item,
    batch_quantity: batchQuantity || '1',
    operations: operations.map((o) => ({
      number: Number(o.number),
      name: o.name,
      work_center: o.work_center,
      ...Object.fromEntries(hourFields.map((f) => [f, o[f] || '0'])),
      yield_share: shift(o.yield || '100', -2),
      is_report_point: o.is_report_point,
    })),
    components: lines
      .filter((l) => l.kind === 'component')
      .map((l) => ({
        item: l.item,
        operation: l.operation,
        quantity: l.quantity || '0',
        per: l.per,
        allowance: shift(l.allowance || '0', -2),
        issue_rule: l.issue_rule,
      })),
    outputs: lines
      .filter((l) => l.kind === 'by-product')
      .map((l) => ({
        item: l.item,
        operation: l.operation,
        quantity: l.quantity || '0',
        credit_price: l.credit_price || '0',
      })),
  };
}
