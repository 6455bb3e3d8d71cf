import { type ClipboardEvent, useState } from 'react';
import type { Item, WorkCenter } from '../../api/queries';
import { Button } from '../../ui/Button';
import { Entry, NumberEntry } from '../../ui/Field';
import { blankLine, type DraftLine, type DraftOperation, linesFromTsv } from './draft';

const numbers = [
  ['setup_labour_hours', 'Setup labour hours'],
  ['setup_machine_hours', 'Setup machine hours'],
  ['run_labour_hours', 'Run labour hours'],
  ['run_machine_hours', 'Run machine hours'],
  ['yield', 'Yield in percent'],
] as const;

/** An operation of a draft with its lines, edited in place; what is needed less often opens below a row. */
export function OperationRows({
  operation: o,
  centers,
  items,
  onChange,
  onRemove,
}: {
  operation: DraftOperation;
  centers: WorkCenter[];
  items: Item[];
  onChange: (patch: Partial<DraftOperation>) => void;
  onRemove: () => void;
}) {
  const [isOpen, setOpen] = useState(false);
  const setLine = (k: number, patch: Partial<DraftLine>) =>
    onChange({ lines: o.lines.map((l, j) => (j === k ? { ...l, ...patch } : l)) });

  /** Cells of a spreadsheet pasted on an item become lines: item, quantity, unit, allowance, reference. */
  function onPaste(event: ClipboardEvent, k: number) {
    const text = event.clipboardData.getData('text/plain');
    if (!/[\t\n]/.test(text.trim())) return;
    event.preventDefault();
    onChange({ lines: [...o.lines.slice(0, k), ...linesFromTsv(text), ...o.lines.slice(k).filter((l) => l.item)] });
  }

  return (
    <tbody>
      <tr className="[&>td]:border-t [&>td]:border-t-hair-strong">
        <td className="pl-4!">
          <NumberEntry aria-label={`Number of operation ${o.number}`} value={o.number} onValue={(number) => onChange({ number })} />
        </td>
        <td>
          <Entry
            aria-label={`Name of operation ${o.number}`}
            className="font-semibold"
            placeholder="What is done"
            value={o.name}
            onChange={(e) => onChange({ name: e.target.value })}
          />
        </td>
        <td>
          <select
            aria-label={`Work center of operation ${o.number}`}
            className="entry"
            value={o.work_center}
            onChange={(e) => onChange({ work_center: e.target.value })}
          >
            {centers.map((w) => (
              <option key={w.code} value={w.code}>
                {w.code}
              </option>
            ))}
          </select>
        </td>
        {numbers.map(([field, label]) => (
          <td key={field}>
            <NumberEntry aria-label={`${label} of operation ${o.number}`} value={o[field]} onValue={(v) => onChange({ [field]: v })} />
          </td>
        ))}
        <td>
          <input
            type="checkbox"
            className="mx-2 align-middle"
            aria-label={`Operation ${o.number} is a report point`}
            checked={o.is_report_point}
            onChange={(e) => onChange({ is_report_point: e.target.checked })}
          />
        </td>
        <RowActs name={`operation ${o.number}`} isOpen={isOpen} onOpen={setOpen} onRemove={onRemove} />
      </tr>
      {isOpen && <OperationDetails operation={o} onChange={onChange} />}
      {o.lines.map((l, k) => (
        <LineRows
          key={k}
          line={l}
          label={`${l.kind} ${k + 1} of operation ${o.number}`}
          unit={items.find((i) => i.code === l.item)?.unit}
          onChange={(patch) => setLine(k, patch)}
          onPaste={(e) => onPaste(e, k)}
          onRemove={() => onChange({ lines: o.lines.filter((_, j) => j !== k) })}
        />
      ))}
      <tr>
        <td />
        <td colSpan={9}>
          <span className="flex gap-4">
            <Button look="link" onClick={() => onChange({ lines: [...o.lines, blankLine('component')] })}>
              Add a component to {o.number}
            </Button>
            <Button look="link" onClick={() => onChange({ lines: [...o.lines, blankLine('by-product')] })}>
              Add a by-product to {o.number}
            </Button>
          </span>
        </td>
      </tr>
    </tbody>
  );
}

function RowActs({
  name,
  isOpen,
  onOpen,
  onRemove,
}: {
  name: string;
  isOpen?: boolean;
  onOpen?: (open: boolean) => void;
  onRemove: () => void;
}) {
  return (
    <td className="num pr-4!">
      {onOpen && (
        <Button look="link" className="mr-3" aria-expanded={isOpen} aria-label={`More of ${name}`} onClick={() => onOpen(!isOpen)}>
          {isOpen ? 'less' : 'more'}
        </Button>
      )}
      <Button look="link" aria-label={`Remove ${name}`} onClick={onRemove}>
        remove
      </Button>
    </td>
  );
}

function OperationDetails({ operation: o, onChange }: { operation: DraftOperation; onChange: (patch: Partial<DraftOperation>) => void }) {
  const entry = (field: 'run_quantity' | 'machines' | 'queue_hours' | 'wait_hours' | 'move_hours' | 'transfer_quantity', label: string) => (
    <label className="flex items-center gap-1.5 text-quiet">
      {label}
      <NumberEntry
        className="w-16!"
        aria-label={`${label} of operation ${o.number}`}
        value={o[field]}
        onValue={(v) => onChange({ [field]: v })}
      />
    </label>
  );
  return (
    <tr>
      <td />
      <td colSpan={9} className="h-auto! py-1.5!">
        <div className="flex flex-wrap items-center gap-x-5 gap-y-1.5 text-[13px]">
          <label className="flex items-center gap-1.5 text-quiet">
            after
            <Entry
              className="w-24!"
              aria-label={`Operation ${o.number} comes after`}
              placeholder="the one before"
              title="numbers of earlier operations; a dash: from the start"
              value={o.after}
              onChange={(e) => onChange({ after: e.target.value })}
            />
          </label>
          {entry('run_quantity', 'run hours for')}
          <label className="flex items-center gap-1.5 text-quiet">
            <input type="checkbox" checked={o.runs_whole_batches} onChange={(e) => onChange({ runs_whole_batches: e.target.checked })} />
            in whole batches
          </label>
          {entry('machines', 'machines')}
          {entry('transfer_quantity', 'hands over every')}
          {entry('queue_hours', 'queue h')}
          {entry('wait_hours', 'wait h')}
          {entry('move_hours', 'move h')}
          <label className="flex w-full items-center gap-1.5 text-quiet">
            instructions
            <Entry
              aria-label={`Instructions of operation ${o.number}`}
              value={o.instructions}
              onChange={(e) => onChange({ instructions: e.target.value })}
            />
          </label>
        </div>
      </td>
    </tr>
  );
}

function LineRows({
  line: l,
  label,
  unit,
  onChange,
  onPaste,
  onRemove,
}: {
  line: DraftLine;
  label: string;
  unit: string | undefined;
  onChange: (patch: Partial<DraftLine>) => void;
  onPaste: (event: ClipboardEvent) => void;
  onRemove: () => void;
}) {
  const [isOpen, setOpen] = useState(false);
  const isComponent = l.kind === 'component';
  return (
    <>
      <tr>
        <td className="text-right text-quiet">{isComponent ? '│' : '←'}</td>
        <td>
          <Entry
            list="all-items"
            className="code"
            aria-label={label}
            placeholder="Item code, or paste lines"
            value={l.item}
            onPaste={onPaste}
            onChange={(e) => onChange({ item: e.target.value })}
          />
        </td>
        <td>
          {isComponent ? (
            <select aria-label={`${l.item} per`} className="entry" value={l.per} onChange={(e) => onChange({ per: e.target.value })}>
              <option value="unit">per unit</option>
              <option value="order">per order</option>
            </select>
          ) : (
            <span className="text-quiet">by-product</span>
          )}
        </td>
        <td colSpan={2}>
          <label className="flex items-center gap-1 text-[12px] whitespace-nowrap text-quiet">
            {l.measured_by ? 'pieces' : l.unit || (unit ?? 'qty')}
            <NumberEntry aria-label={`Quantity of ${l.item}`} value={l.quantity} onValue={(quantity) => onChange({ quantity })} />
          </label>
        </td>
        <td colSpan={2}>
          <label className="flex items-center gap-1 text-[12px] whitespace-nowrap text-quiet">
            {isComponent ? 'allowance %' : 'credit EUR'}
            <NumberEntry
              aria-label={`${isComponent ? 'Allowance' : 'Credit price'} of ${l.item}`}
              value={isComponent ? l.allowance : l.credit_price}
              onValue={(v) => onChange(isComponent ? { allowance: v } : { credit_price: v })}
            />
          </label>
        </td>
        <td colSpan={2}>
          {isComponent && (
            <select
              aria-label={`Issue rule of ${l.item}`}
              className="entry"
              value={l.issue_rule}
              onChange={(e) => onChange({ issue_rule: e.target.value })}
            >
              <option value="by hand">issued by hand</option>
              <option value="at release">issued at release</option>
              <option value="at operation">backflush at operation</option>
              <option value="at receipt">backflush at receipt</option>
            </select>
          )}
        </td>
        <RowActs name={`${l.item || label}`} {...(isComponent ? { isOpen, onOpen: setOpen } : {})} onRemove={onRemove} />
      </tr>
      {isOpen && <LineDetails line={l} onChange={onChange} />}
    </>
  );
}

function LineDetails({ line: l, onChange }: { line: DraftLine; onChange: (patch: Partial<DraftLine>) => void }) {
  const sizes = (['length', 'width', 'thickness'] as const).slice(0, { '': 0, length: 1, area: 2 }[l.measured_by] ?? 3);
  return (
    <tr>
      <td />
      <td colSpan={9} className="h-auto! py-1.5!">
        <div className="flex flex-wrap items-center gap-x-5 gap-y-1.5 text-[13px]">
          <label className="flex items-center gap-1.5 text-quiet">
            unit
            <Entry
              className="w-20!"
              aria-label={`Unit of ${l.item}`}
              placeholder="stock unit"
              value={l.unit}
              disabled={l.measured_by !== ''}
              onChange={(e) => onChange({ unit: e.target.value })}
            />
          </label>
          <label className="flex items-center gap-1.5 text-quiet">
            measured by
            <select
              className="entry w-28!"
              aria-label={`${l.item} measured by`}
              value={l.measured_by}
              onChange={(e) => onChange({ measured_by: e.target.value, unit: '' })}
            >
              <option value="">pieces or unit</option>
              <option value="length">length</option>
              <option value="area">area</option>
              <option value="volume">volume</option>
              <option value="mass">mass</option>
            </select>
          </label>
          {sizes.map((size) => (
            <label key={size} className="flex items-center gap-1.5 text-quiet">
              {size} mm
              <NumberEntry className="w-16!" aria-label={`${size} of ${l.item}`} value={l[size]} onValue={(v) => onChange({ [size]: v })} />
            </label>
          ))}
          <label className="flex items-center gap-1.5 text-quiet">
            position
            <Entry className="w-32!" aria-label={`Position of ${l.item}`} value={l.reference} onChange={(e) => onChange({ reference: e.target.value })} />
          </label>
          {(['effective_from', 'effective_until'] as const).map((end) => (
            <label key={end} className="flex items-center gap-1.5 text-quiet">
              {end === 'effective_from' ? 'from' : 'until'}
              <Entry type="date" className="w-36!" aria-label={`${l.item} ${end.replace('_', ' ')}`} value={l[end]} onChange={(e) => onChange({ [end]: e.target.value })} />
            </label>
          ))}
        </div>
      </td>
    </tr>
  );
}
