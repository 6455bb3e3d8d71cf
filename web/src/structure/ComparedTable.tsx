import { type ReactNode, useState } from 'react';
import { Link } from 'react-router';
import type { Compared, ComparedOut } from '../api/queries';
import { isZero, money } from '../lib/decimal';
import { Choices } from '../ui/Choices';
import { ItemCode } from '../ui/ItemCode';
import { Quantity, VarianceText } from '../ui/Numbers';

const marks: Record<string, { sign: string; words: string }> = {
  added: { sign: '+', words: 'added' },
  removed: { sign: '−', words: 'removed' },
  changed: { sign: '≠', words: 'changed' },
  same: { sign: '', words: '' },
};
const views = ['What changed', 'All rows'] as const;

/** Two structures as one merged tree: what was added, removed, changed, and what it costs. */
export function ComparedTable({ compared: c, controls }: { compared: ComparedOut; controls: ReactNode }) {
  const [view, setView] = useState<(typeof views)[number]>('What changed');
  const rows = c.rows.filter((r) => view === 'All rows' || isPartOfAChange(r, c.rows));
  return (
    <article>
      <header className="flex flex-wrap items-end justify-between gap-3 px-4 pt-3 pb-2">
        <div>
          <h1>
            <Link className="quiet-link" to={`/define/items/${encodeURIComponent(c.item)}`}>
              {c.name} <span className="code text-[16px]">{c.item}</span>
            </Link>
            : {c.old} against {c.new}
          </h1>
          <p className="text-quiet">
            this level at today&rsquo;s standards and rates: {money(c.old_total)} → {money(c.new_total)} EUR,{' '}
            <VarianceText value={c.difference} />
            {c.without_cost.length > 0 && ` · without ${c.without_cost.join(', ')} (no standard)`}
          </p>
        </div>
        <div className="flex flex-wrap items-center gap-3">
          {controls}
          <Choices label="Rows" options={views} value={view} onChoose={setView} />
        </div>
      </header>
      <table className="rows" aria-label={`${c.old} against ${c.new}`}>
        <thead>
          <tr>
            <td className="w-8 pl-4!" />
            <th className="w-[34%]">What</th>
            <th>Code</th>
            <th className="num">{c.old}</th>
            <th className="num">{c.new}</th>
            <th>changed</th>
            <th className="num pr-4!">effect, EUR</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <Row key={`${r.kind}${r.operation}${r.code}`} row={r} />
          ))}
          {rows.length === 0 && (
            <tr>
              <td colSpan={7} className="pl-4! text-quiet">
                Both say the same.
              </td>
            </tr>
          )}
        </tbody>
      </table>
    </article>
  );
}

function isPartOfAChange(row: Compared, rows: Compared[]): boolean {
  if (row.status !== 'same') return true;
  return row.kind === 'operation' && rows.some((r) => r.operation === row.operation && r.status !== 'same');
}

function Row({ row }: { row: Compared }) {
  const mark = marks[row.status];
  const isOperation = row.kind === 'operation';
  const amount = (value: string | null) =>
    value !== null && !(isOperation && isZero(value)) ? <Quantity value={value} unit={isOperation ? 'h/unit' : row.unit} /> : null;
  return (
    <tr className={isOperation ? '[&>td]:border-t [&>td]:border-t-hair-strong' : ''}>
      <td className="pl-4! font-semibold" aria-label={mark?.words}>
        {mark?.sign}
      </td>
      <td className={`${isOperation ? 'font-semibold' : 'pl-8!'} ${row.status === 'removed' ? 'line-through decoration-quiet' : ''}`}>
        {isOperation && <span className="mr-1.5 inline-block min-w-5">{row.operation}</span>}
        {row.kind === 'by-product' && '← '}
        {row.name}
      </td>
      <td>{isOperation ? <span className="code text-quiet">{row.code}</span> : <ItemCode code={row.code} />}</td>
      <td className="num text-quiet">{amount(row.old)}</td>
      <td className={`num ${row.status === 'changed' ? 'font-semibold' : ''}`}>{amount(row.new)}</td>
      <td className="text-quiet">{row.status === 'changed' ? row.changes.join(', ') : mark?.words}</td>
      <td className="num pr-4!">{!isZero(row.effect) && <VarianceText value={row.effect} />}</td>
    </tr>
  );
}
