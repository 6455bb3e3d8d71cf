import { type ClipboardEvent, type ReactNode, useState } from 'react';
import { ApiError, type Problem } from '../api/http';
import { cellsOfFile, SHEETS } from '../api/sheet';
import { isManyCells } from '../lib/cells';
import { shift } from '../lib/decimal';
import { Button } from '../ui/Button';
import { Entry, NumberEntry } from '../ui/Field';
import { FileLink } from '../ui/FileEntry';
import { ProblemNote } from '../ui/States';
import { type Column, pastedRows, type Row, rowsOfFile } from './rows';

/** A list of rows, each with a few entries; a row left wholly empty is not sent. */
export function RowsEntry({
  legend,
  add,
  columns,
  rows,
  onRows,
  below,
}: {
  legend: string;
  add: string;
  columns: Column[];
  rows: Row[];
  onRows: (rows: Row[]) => void;
  /** what is said below each row */
  below?: readonly ReactNode[];
}) {
  const patch = (n: number, name: string, value: string) => {
    const next = { ...rows[n], [name]: value };
    if (value === '') delete next[name];
    onRows(rows.map((r, k) => (k === n ? next : r)));
  };
  const [refused, setRefused] = useState<Problem | null>(null);
  async function take(file: File) {
    setRefused(null);
    try {
      const lines = await cellsOfFile(file);
      onRows([...rows.filter((r) => !isEmpty(r, columns)), ...rowsOfFile(columns, lines)]);
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      setRefused(error.problem);
    }
  }
  return (
    <fieldset>
      <legend className="mb-1 text-quiet">{legend}</legend>
      {rows.map((row, n) => (
        <div key={n} className="mb-1.5 flex flex-wrap items-end gap-x-2 gap-y-1 border-b border-hair pb-1.5">
          {columns.map((c) => (
            <OneCell
              key={c.name}
              column={c}
              label={`${c.label} ${n + 1}`}
              value={row[c.name] ?? ''}
              onValue={(v) => patch(n, c.name, v)}
              onMany={(text) => onRows(pastedRows(rows, columns, n, c.name, text))}
            />
          ))}
          <Button look="link" aria-label={`Remove line ${n + 1}`} onClick={() => onRows(rows.filter((_, k) => k !== n))}>
            remove
          </Button>
          {below?.[n]}
        </div>
      ))}
      <Button look="link" onClick={() => onRows([...rows, firstChoices(columns)])}>
        {add}
      </Button>
      <span className="ml-3 text-[12px] text-quiet">
        or paste rows of a spreadsheet, or{' '}
        <FileLink label={`${legend}: read a file`} accept={SHEETS} onFile={(file) => void take(file)}>
          read a file
        </FileLink>
      </span>
      {refused && <ProblemNote problem={refused} />}
    </fieldset>
  );
}

/** A row in which nothing was entered: what the list began with. */
const isEmpty = (row: Row, columns: Column[]) => Object.entries(row).every(([name, value]) => value === firstChoices(columns)[name]);

const firstChoices = (columns: Column[]): Row =>
  Object.fromEntries(columns.flatMap((c) => (c.kind === 'choice' && c.options?.[0]?.value ? [[c.name, c.options[0].value]] : [])));

interface Cell {
  column: Column;
  label: string;
  value: string;
  onValue: (value: string) => void;
  /** many cells of a spreadsheet are pasted */
  onMany: (text: string) => void;
}

function OneCell({ column: c, label, value, onValue, onMany }: Cell) {
  const shared = { 'aria-label': label, className: c.className ?? 'w-20!' };
  function onPaste(event: ClipboardEvent) {
    const text = event.clipboardData.getData('text/plain');
    if (!isManyCells(text)) return;
    event.preventDefault();
    onMany(text);
  }
  return (
    <span className="flex flex-col text-[12px] text-quiet" onPaste={onPaste}>
      <span aria-hidden>{c.label}</span>
      {c.kind === 'number' && <NumberEntry {...shared} value={value} onValue={onValue} />}
      {c.kind === 'percent' && <NumberEntry {...shared} value={value && shift(value, 2)} onValue={(v) => onValue(v && shift(v, -2))} />}
      {(c.kind === 'text' || c.kind === 'date') && (
        <Entry {...shared} type={c.kind} value={value} onChange={(e) => onValue(e.target.value)} />
      )}
      {c.kind === 'choice' && (
        <select {...shared} className={`entry ${shared.className}`} value={value} onChange={(e) => onValue(e.target.value)}>
          {value === '' && !c.options?.some((o) => o.value === '') && <option value="">choose</option>}
          {c.options?.map((o) => (
            <option key={o.value} value={o.value}>
              {o.words}
            </option>
          ))}
        </select>
      )}
    </span>
  );
}
