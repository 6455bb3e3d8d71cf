import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useParams, useSearchParams } from 'react-router';
import { type Compared, compareOptions, revisionsOptions } from '../../api/queries';
import { isZero, money } from '../../lib/decimal';
import { Choices } from '../../ui/Choices';
import { ItemCode } from '../../ui/ItemCode';
import { Quantity, VarianceText } from '../../ui/Numbers';
import { Loaded } from '../../ui/States';

const marks: Record<string, { sign: string; words: string }> = {
  added: { sign: '+', words: 'added' },
  removed: { sign: '−', words: 'removed' },
  changed: { sign: '≠', words: 'changed' },
  same: { sign: '', words: '' },
};
const views = ['What changed', 'All rows'] as const;

/** Two revisions as one merged tree: what was added, removed, changed, and what it costs. */
export function ComparePage() {
  const { code = '' } = useParams();
  const [query, setQuery] = useSearchParams();
  const [old, letter] = [query.get('old') ?? '', query.get('new') ?? ''];
  const [view, setView] = useState<(typeof views)[number]>('What changed');
  const compared = useQuery(compareOptions(code, letter, old));
  const revisions = useQuery(revisionsOptions(code));
  const choose = (name: string, value: string) => setQuery({ old, new: letter, [name]: value }, { replace: true });
  return (
    <Loaded query={compared}>
      {(c) => {
        const difference = String(Number(c.new_total) - Number(c.old_total));
        const rows = c.rows.filter((r) => view === 'All rows' || isPartOfAChange(r, c.rows));
        return (
          <article>
            <header className="flex flex-wrap items-end justify-between gap-3 px-4 pt-3 pb-2">
              <div>
                <h1>
                  <Link className="quiet-link" to={`/define/items/${encodeURIComponent(code)}`}>
                    {c.name} <span className="code text-[16px]">{code}</span>
                  </Link>
                  : rev {c.old} against rev {c.new}
                </h1>
                <p className="text-quiet">
                  this level at today&rsquo;s standards and rates: {money(c.old_total)} → {money(c.new_total)} EUR,{' '}
                  <VarianceText value={difference} />
                  {c.without_cost.length > 0 && ` · without ${c.without_cost.join(', ')} (no standard)`}
                </p>
              </div>
              <div className="flex items-center gap-3">
                <Letters label="Old" value={c.old} letters={revisions.data?.map((r) => r.letter)} onChoose={(v) => choose('old', v)} />
                <Letters label="New" value={c.new} letters={revisions.data?.map((r) => r.letter)} onChoose={(v) => choose('new', v)} />
                <Choices label="Rows" options={views} value={view} onChoose={setView} />
              </div>
            </header>
            <table className="rows" aria-label={`Rev ${c.old} against rev ${c.new}`}>
              <thead>
                <tr>
                  <td className="w-8 pl-4!" />
                  <th>What</th>
                  <th>Code</th>
                  <th className="num">rev {c.old}</th>
                  <th className="num">rev {c.new}</th>
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
                      The two revisions say the same.
                    </td>
                  </tr>
                )}
              </tbody>
            </table>
          </article>
        );
      }}
    </Loaded>
  );
}

function isPartOfAChange(row: Compared, rows: Compared[]): boolean {
  if (row.status !== 'same') return true;
  return row.kind === 'operation' && rows.some((r) => r.operation === row.operation && r.status !== 'same');
}

function Letters({
  label,
  value,
  letters,
  onChoose,
}: {
  label: string;
  value: string;
  letters: string[] | undefined;
  onChoose: (letter: string) => void;
}) {
  return (
    <label className="flex items-center gap-1.5 text-quiet">
      {label}
      <select className="entry w-16" value={value} onChange={(e) => onChoose(e.target.value)}>
        {letters?.map((l) => (
          <option key={l} value={l}>
            {l}
          </option>
        ))}
      </select>
    </label>
  );
}

function Row({ row }: { row: Compared }) {
  const mark = marks[row.status];
  const isOperation = row.kind === 'operation';
  const effect = Number(row.new_cost ?? 0) - Number(row.old_cost ?? 0);
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
      <td className="num pr-4!">{effect !== 0 && <VarianceText value={effect.toFixed(6)} />}</td>
    </tr>
  );
}
