import type { Revision } from './queries';
import type { components } from '../../api/schema';
import type { Inputs, Sent } from '../../commands/inputs';
import { plain, shift } from '../../lib/decimal';

type Named = components['schemas'];
type LineKind = 'component' | Named['OutputKind'];
export type StepKind = Named['StepKind'];

/** What a row is told apart by while it is edited, wherever it moves to. */
let lastRow = 0;
const fresh = () => (lastRow += 1);

export interface DraftLine {
  id: number;
  kind: LineKind;
  item: string;
  quantity: string;
  /** "" is the stock unit */
  unit: string;
  per: Named['Per'];
  /** in percent, as people say it */
  allowance: string;
  issue_rule: Named['IssueRule'];
  /** what the pieces are measured by, "" if by nothing; sizes in mm */
  measured_by: Named['MeasuredBy'] | '';
  length: string;
  width: string;
  thickness: string;
  /** mark of the components of the operation that may be exchanged for each other */
  mix: string;
  reference: string;
  effective_from: string;
  effective_until: string;
  /** items that may be used in its place: "BR-14, 2 × BR-15" */
  alternates: string;
  credit_price: string;
  /** of one unit of a co-product, in what the share rule weighs by */
  weight: string;
}

/** Something to read, see, tick, measure or note while an operation is done. */
export interface DraftStep {
  kind: StepKind;
  text: string;
  unit: string;
  lower: string;
  upper: string;
  picture: string;
  /** of a lot: the component whose lot is noted */
  item: string;
}

export interface DraftGrade {
  item: string;
  /** in percent */
  share: string;
  weight: string;
}

/** What is said of a structure besides its operations. */
export interface DraftWhole {
  batch: string;
  share_rule: Named['ShareRule'];
  main_weight: string;
  grades: DraftGrade[];
}

export interface DraftOperation {
  id: number;
  number: string;
  name: string;
  work_center: string;
  setup_labour_hours: string;
  setup_machine_hours: string;
  run_labour_hours: string;
  run_machine_hours: string;
  /** people who attend the machine; "" where their hours are stated */
  crew: string;
  labour_grade: string;
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
  alternate_centers: string;
  /** "" where it is done here */
  supplier: string;
  subcontract_price: string;
  payment_basis: Named['PaymentBasis'];
  days_out: string;
  steps: DraftStep[];
  lines: DraftLine[];
}

const hourFields = ['setup_labour_hours', 'setup_machine_hours', 'run_labour_hours', 'run_machine_hours'] as const;
const passingFields = ['queue_hours', 'wait_hours', 'move_hours'] as const;
const sizeFields = ['length', 'width', 'thickness'] as const;

export function blankLine(kind: DraftLine['kind']): DraftLine {
  return {
    id: fresh(),
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
    mix: '',
    reference: '',
    effective_from: '',
    effective_until: '',
    alternates: '',
    credit_price: '',
    weight: '',
  };
}

export function blankOperation(number: number, workCenter: string): DraftOperation {
  return {
    id: fresh(),
    number: String(number),
    name: '',
    work_center: workCenter,
    setup_labour_hours: '',
    setup_machine_hours: '',
    run_labour_hours: '',
    run_machine_hours: '',
    crew: '',
    labour_grade: '',
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
    alternate_centers: '',
    supplier: '',
    subcontract_price: '',
    payment_basis: 'good pieces returned',
    days_out: '',
    steps: [],
    lines: [],
  };
}

export const blankStep = (kind: StepKind): DraftStep => ({ kind, text: '', unit: '', lower: '', upper: '', picture: '', item: '' });

export const blankWhole: DraftWhole = { batch: '1', share_rule: 'relative sales value', main_weight: '', grades: [] };

const orEmpty = (text: string | null) => (text === null || plain(text) === '0' ? '' : plain(text));

/** Return the lines of a phantom that has no operations. */
export const bareLinesOf = (revision: Revision): DraftLine[] => linesAt(revision, 0);

function linesAt(revision: Revision, operation: number): DraftLine[] {
  return [
    ...revision.components
      .filter((c) => c.operation === operation)
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
        mix: c.mix,
        reference: c.reference,
        alternates: c.alternates.map((a) => (plain(a.ratio) === '1' ? a.item : `${plain(a.ratio)} × ${a.item}`)).join(', '),
        effective_from: c.effective_from ?? '',
        effective_until: c.effective_until ?? '',
      })),
    ...revision.outputs
      .filter((b) => b.operation === operation)
      .map((b): DraftLine => ({
        ...blankLine(b.kind),
        item: b.item,
        quantity: plain(b.quantity),
        credit_price: orEmpty(b.credit_price),
        weight: orEmpty(b.weight),
      })),
  ];
}

/** Return a revision as it is edited: each operation with its lines. */
export function draftOf(revision: Revision): DraftOperation[] {
  return revision.operations.map((o) => ({
    id: fresh(),
    number: String(o.number),
    name: o.name,
    work_center: o.work_center,
    setup_labour_hours: orEmpty(o.setup_labour_hours),
    setup_machine_hours: orEmpty(o.setup_machine_hours),
    run_labour_hours: orEmpty(o.run_labour_hours),
    run_machine_hours: orEmpty(o.run_machine_hours),
    crew: orEmpty(o.crew),
    labour_grade: o.labour_grade ?? '',
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
    alternate_centers: o.alternate_centers.join(', '),
    supplier: o.supplier ?? '',
    subcontract_price: orEmpty(o.subcontract_price),
    payment_basis: o.payment_basis || 'good pieces returned',
    days_out: orEmpty(o.days_out),
    steps: o.steps.map((s) => ({
      kind: s.kind,
      text: s.text,
      unit: s.unit ?? '',
      lower: s.lower ? plain(s.lower) : '',
      upper: s.upper ? plain(s.upper) : '',
      picture: s.picture ?? '',
      item: s.item ?? '',
    })),
    lines: linesAt(revision, o.number),
  }));
}

/** Return the components that went in by an operation: at it, or at one with a lower number. */
export const componentsBy = (operations: DraftOperation[], by: DraftOperation): string[] =>
  operations
    .filter((o) => Number(o.number) <= Number(by.number))
    .flatMap((o) => o.lines.filter((l) => l.kind === 'component' && l.item).map((l) => l.item));

/** what each kind of step says besides its text */
const stepFields: Record<StepKind, (keyof DraftStep)[]> = {
  text: [],
  tick: [],
  lot: ['item'],
  picture: ['picture'],
  measurement: ['unit', 'lower', 'upper'],
};

const filled = (row: object, names: readonly string[]) =>
  Object.fromEntries(Object.entries(row).filter(([name, value]) => names.includes(name) && value !== ''));

/** Return what must come before an operation, as the server takes it. */
export function afterGiven(text: string): { after?: number[] } {
  if (text.trim() === '') return {};
  return { after: [...text.matchAll(/\d+/g)].map((m) => Number(m[0])) };
}

/** Return items with their ratios from "BR-14, 2 × BR-15". */
export function alternatesGiven(text: string): { item: string; ratio: string }[] {
  return listed(text).map((part) => {
    const [, ratio = '1', item = ''] = /^(?:([\d.]+)\s*[×x*]\s*)?(.*)$/.exec(part) ?? [];
    return { item, ratio };
  });
}

const listed = (text: string) =>
  text
    .split(',')
    .map((part) => part.trim())
    .filter(Boolean);

/** Return what is said of a structure as a whole. */
export function wholeOf(revision: Revision): DraftWhole {
  return {
    batch: plain(revision.batch_quantity),
    share_rule: revision.share_rule,
    main_weight: orEmpty(revision.main_weight),
    grades: revision.grades.map((g) => ({ item: g.item, share: shift(g.share, 2), weight: plain(g.weight) })),
  };
}

/** Return the draft as the server takes it; rows left wholly empty are left out. */
export function draftGiven(item: string, whole: DraftWhole, operations: DraftOperation[], bare: DraftLine[] = []): Sent<Inputs['draft-structure']> {
  const lines: (DraftLine & { operation?: number })[] = [
    ...bare.filter((l) => l.item),
    ...operations.flatMap((o) => o.lines.filter((l) => l.item).map((l) => ({ ...l, operation: Number(o.number) }))),
  ];
  return {
    item,
    batch_quantity: whole.batch || '1',
    share_rule: whole.share_rule,
    main_weight: whole.main_weight || '0',
    grades: whole.grades
      .filter((g) => g.item)
      .map((g) => ({ item: g.item, share: shift(g.share || '0', -2), weight: g.weight || '1' })),
    operations: operations.map((o) => ({
      number: Number(o.number),
      name: o.name,
      work_center: o.work_center,
      ...Object.fromEntries([...hourFields, ...passingFields].map((f) => [f, o[f] || '0'])),
      run_quantity: o.run_quantity || '1',
      runs_whole_batches: o.runs_whole_batches,
      machines: Number(o.machines || '1'),
      ...filled(o, ['transfer_quantity', 'crew', 'labour_grade']),
      ...(o.supplier
        ? { ...filled(o, ['supplier', 'payment_basis']), subcontract_price: o.subcontract_price || '0', days_out: o.days_out || '0' }
        : {}),
      alternate_centers: listed(o.alternate_centers),
      steps: o.steps.filter((s) => s.text).map((s) => ({ kind: s.kind, text: s.text, ...filled(s, stepFields[s.kind]) })),
      yield_share: shift(o.yield || '100', -2),
      is_report_point: o.is_report_point,
      ...afterGiven(o.after),
    })),
    components: lines
      .filter((l) => l.kind === 'component')
      .map((l) => ({
        item: l.item,
        ...(l.operation === undefined ? {} : { operation: l.operation }),
        quantity: l.quantity || '0',
        per: l.per,
        allowance: shift(l.allowance || '0', -2),
        issue_rule: l.issue_rule,
        alternates: alternatesGiven(l.alternates),
        ...filled(l, ['unit', 'mix', 'reference', 'effective_from', 'effective_until', 'measured_by', ...(l.measured_by ? sizeFields : [])]),
      })),
    outputs: lines
      .flatMap(({ kind, operation = 0, ...l }) => (kind === 'component' ? [] : [{ ...l, kind, operation }]))
      .map((l) => ({
        item: l.item,
        operation: l.operation,
        kind: l.kind,
        quantity: l.quantity || '0',
        ...(l.kind === 'by-product' ? { credit_price: l.credit_price || '0' } : { weight: l.weight || '0' }),
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
