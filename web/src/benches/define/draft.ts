import type { Revision } from '../../api/queries';
import type { Given } from '../../commands/forms';
import { plain } from '../../lib/decimal';

export interface DraftLine {
  kind: 'component' | 'by-product';
  item: string;
  quantity: string;
  /** "" is the stock unit */
  unit: string;
  per: string;
  /** in percent, as people say it */
  allowance: string;
  issue_rule: string;
  /** what the pieces are measured by, "" if by nothing; sizes in mm */
  measured_by: string;
  length: string;
  width: string;
  thickness: string;
  reference: string;
  effective_from: string;
  effective_until: string;
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
  run_quantity: string;
  runs_whole_batches: boolean;
  machines: string;
  queue_hours: string;
  wait_hours: string;
  move_hours: string;
  transfer_quantity: string;
  /** in percent */
  yield: string;
  is_report_point: boolean;
  /** "" is the one before, "-" from the start, else numbers */
  after: string;
  instructions: string;
  lines: DraftLine[];
}

export const hourFields = ['setup_labour_hours', 'setup_machine_hours', 'run_labour_hours', 'run_machine_hours'] as const;
export const passingFields = ['queue_hours', 'wait_hours', 'move_hours'] as const;
const sizeFields = ['length', 'width', 'thickness'] as const;

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
  return {
    kind,
    item: '',
    quantity: '',
    unit: '',
    per: 'unit',
    allowance: '',
    issue_rule: 'by hand',
    measured_by: '',
    length: '',
    width: '',
    thickness: '',
    reference: '',
    effective_from: '',
    effective_until: '',
    credit_price: '',
  };
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
    run_quantity: '1',
    runs_whole_batches: false,
    machines: '1',
    queue_hours: '',
    wait_hours: '',
    move_hours: '',
    transfer_quantity: '',
    yield: '100',
    is_report_point: true,
    after: '',
    instructions: '',
    lines: [],
  };
}

const orEmpty = (text: string | null) => (text === null || plain(text) === '0' ? '' : plain(text));

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
    run_quantity: plain(o.run_quantity),
    runs_whole_batches: o.runs_whole_batches,
    machines: String(o.machines),
    queue_hours: orEmpty(o.queue_hours),
    wait_hours: orEmpty(o.wait_hours),
    move_hours: orEmpty(o.move_hours),
    transfer_quantity: orEmpty(o.transfer_quantity),
    yield: shift(o.yield_share, 2),
    is_report_point: o.is_report_point,
    after: o.after === null ? '' : o.after.length === 0 ? '-' : o.after.join(', '),
    instructions: o.instructions,
    lines: [
      ...revision.components
        .filter((c) => c.operation === o.number)
        .map((c): DraftLine => ({
          ...blankLine('component'),
          item: c.item,
          quantity: plain(c.quantity),
          unit: c.line_unit === c.unit ? '' : c.line_unit,
          per: c.per,
          allowance: orEmpty(shift(c.allowance, 2)),
          issue_rule: c.issue_rule,
          measured_by: c.measured_by,
          length: orEmpty(c.length),
          width: orEmpty(c.width),
          thickness: orEmpty(c.thickness),
          reference: c.reference,
          effective_from: c.effective_from ?? '',
          effective_until: c.effective_until ?? '',
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

const filled = (row: object, names: readonly string[]) =>
  Object.fromEntries(Object.entries(row).filter(([name, value]) => names.includes(name) && value !== ''));

/** Return what must come before an operation, as the server takes it. */
export function afterGiven(text: string): { after?: number[] } {
  if (text.trim() === '') return {};
  return { after: [...text.matchAll(/\d+/g)].map((m) => Number(m[0])) };
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
      ...Object.fromEntries([...hourFields, ...passingFields].map((f) => [f, o[f] || '0'])),
      run_quantity: o.run_quantity || '1',
      runs_whole_batches: o.runs_whole_batches,
      machines: Number(o.machines || '1'),
      ...filled(o, ['transfer_quantity', 'instructions']),
      yield_share: shift(o.yield || '100', -2),
      is_report_point: o.is_report_point,
      ...afterGiven(o.after),
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
        ...filled(l, ['unit', 'reference', 'effective_from', 'effective_until', 'measured_by', ...(l.measured_by ? sizeFields : [])]),
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

/** Return component lines from pasted spreadsheet cells: item, quantity, unit, allowance in percent, reference. */
export function linesFromTsv(text: string): DraftLine[] {
  const rows = text
    .replaceAll('\r', '')
    .split('\n')
    .map((row) => row.split('\t').map((cell) => cell.trim()))
    .filter((cells) => cells[0]);
  const isHead = rows[0] && !/\d/.test(rows[0][1] ?? '');
  return rows.slice(isHead ? 1 : 0).map(([item = '', quantity = '', unit = '', allowance = '', reference = '']) => ({
    ...blankLine('component'),
    item,
    quantity: quantity.replace(',', '.'),
    unit,
    allowance: allowance.replace('%', '').replace(',', '.').trim(),
    reference,
  }));
}
