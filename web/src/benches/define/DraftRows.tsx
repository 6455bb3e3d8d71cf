import { type ClipboardEvent, useState } from 'react';
import type { Item, WorkCenter } from './queries';
import { values } from '../../api/values';
import { Button } from '../../ui/Button';
import { asSaid, ChoiceEntry, Entry, NumberEntry } from '../../ui/Field';
import { blankLine, type DraftLine, type DraftOperation, linesFromTsv } from './draft';
import { LineDetails, OperationDetails } from './DraftDetails';

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
  pictures,
  components,
  onChange,
  onRemove,
}: {
  operation: DraftOperation;
  centers: WorkCenter[];
  items: Item[];
  pictures: string[];
  /** that went in by then, at it or before */
  components: string[];
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
      {isOpen && <OperationDetails operation={o} pictures={pictures} components={components} onChange={onChange} />}
      {o.lines.map((l, k) => (
        <LineRows
          key={l.id}
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
            <Button look="link" onClick={() => onChange({ lines: [...o.lines, blankLine('co-product')] })}>
              Add a co-product to {o.number}
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

/** what is entered third: of a component, a by-product, a co-product */
const perWords = { unit: 'per unit', order: 'per order' };

const thirds = {
  component: { field: 'allowance', words: 'allowance %', label: 'Allowance' },
  'by-product': { field: 'credit_price', words: 'credit EUR', label: 'Credit price' },
  'co-product': { field: 'weight', words: 'weighs', label: 'Weight' },
} as const;

export function LineRows({
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
  const third = thirds[l.kind];
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
            <ChoiceEntry aria-label={`${l.item} per`} words={perWords} value={l.per} onValue={(per) => onChange({ per })} />
          ) : (
            <span className="text-quiet">{l.kind}</span>
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
            {third.words}
            <NumberEntry
              aria-label={`${third.label} of ${l.item}`}
              value={l[third.field]}
              onValue={(v) => onChange({ [third.field]: v })}
            />
          </label>
        </td>
        <td colSpan={2}>
          {isComponent && (
            <ChoiceEntry
              aria-label={`Issue rule of ${l.item}`}
              words={asSaid(values.IssueRule)}
              value={l.issue_rule}
              onValue={(issue_rule) => onChange({ issue_rule })}
            />
          )}
        </td>
        <RowActs name={`${l.item || label}`} {...(isComponent ? { isOpen, onOpen: setOpen } : {})} onRemove={onRemove} />
      </tr>
      {isOpen && <LineDetails line={l} onChange={onChange} />}
    </>
  );
}
