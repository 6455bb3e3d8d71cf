import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { day } from '../../lib/date';
import { money, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Loaded } from '../../ui/States';
import { readyOptions, type Ready, type ReadyRow } from './queries';

const titles: Record<ReadyRow['group'], string> = {
  nothing: 'Nothing stops them',
  comes: 'Material comes in time',
  late: 'Material comes too late',
  never: 'Nobody knows when material comes',
  data: 'Master data is missing',
};
const groups = Object.keys(titles) as ReadyRow['group'][];
const spans = [2, 4, 6, 12, 26, 52];

/** What could be released, by what stops it; several are marked and released in one act. */
export function ReadyPage() {
  const [query, setQuery] = useSearchParams();
  const weeks = Number(query.get('weeks') ?? 6);
  const ready = useQuery(readyOptions(weeks));
  return (
    <article>
      <header className="flex flex-wrap items-center justify-between gap-x-6 gap-y-1 px-4 pt-3 pb-2">
        <h1>Ready to release</h1>
        <label className="flex items-center gap-2 text-quiet">
          due within
          <select className="entry w-28!" value={weeks} onChange={(e) => setQuery({ weeks: e.target.value }, { replace: true })}>
            {spans.map((n) => (
              <option key={n} value={n}>
                {n} weeks
              </option>
            ))}
          </select>
        </label>
      </header>
      <Loaded query={ready}>{(r) => <Table ready={r} />}</Loaded>
    </article>
  );
}

function Table({ ready }: { ready: Ready }) {
  const { start } = useCommands();
  const may = useMay();
  const [marked, setMarked] = useState<ReadonlySet<number>>(new Set());
  const mayRelease = may.has('release-orders');
  const shown = ready.rows.filter((r) => marked.has(r.number));
  const mark = (numbers: number[], isOn: boolean) => {
    const next = new Set(marked);
    for (const n of numbers) if (isOn) next.add(n); else next.delete(n);
    setMarked(next);
  };
  if (ready.rows.length === 0) {
    return <p className="px-4 text-quiet">No order that is due by {day(ready.until)} waits for its release. Plan one on the left.</p>;
  }
  return (
    <>
      <div className="overflow-x-auto">
        <table className="rows" aria-label="Orders to release">
          <thead>
            <tr>
              {mayRelease && <td className="w-8 pl-4!" />}
              <th>Order</th>
              <th className="num">quantity</th>
              <th>due</th>
              <th>starts</th>
              <th className="num">EUR</th>
              <th className="pr-4!">what stops it</th>
            </tr>
          </thead>
          {groups
            .filter((g) => ready.groups.some((n) => n.group === g))
            .map((g) => {
              const rows = ready.rows.filter((r) => r.group === g);
              const numbers = rows.map((r) => r.number);
              return (
                <tbody key={g}>
                  <tr>
                    {mayRelease && (
                      <td className="border-t border-t-hair-strong pl-4!">
                        {g !== 'data' && (
                          <input
                            type="checkbox"
                            aria-label={`All: ${titles[g]}`}
                            checked={numbers.every((n) => marked.has(n))}
                            onChange={(e) => mark(numbers, e.target.checked)}
                          />
                        )}
                      </td>
                    )}
                    <td colSpan={6} className="border-t border-t-hair-strong font-semibold">
                      {titles[g]} <span className="font-normal text-quiet">{ready.groups.find((n) => n.group === g)?.orders}</span>
                    </td>
                  </tr>
                  {rows.map((r) => (
                    <Row key={r.number} row={r} isMarked={marked.has(r.number)} onMark={mayRelease && g !== 'data' ? (isOn) => mark([r.number], isOn) : undefined} hasMarks={mayRelease} />
                  ))}
                </tbody>
              );
            })}
        </table>
      </div>
      {ready.whole > ready.rows.length && (
        <p className="px-4 py-1 text-quiet">
          the first {ready.rows.length} of {ready.whole.toLocaleString()}; choose fewer weeks to see all
        </p>
      )}
      {mayRelease && (
        <footer className="sticky bottom-0 flex items-center gap-4 border-t border-hair-strong bg-ground px-4 py-2">
          <Button look="act" disabled={shown.length === 0} onClick={() => start('release-orders', { orders: shown.map((r) => r.number) })}>
            {shown.length === 0 ? 'Release…' : `Release ${shown.length}…`}
          </Button>
          <span role="status" className="text-quiet">
            {shown.length === 0 ? 'Mark the orders to release.' : `${shown.length} marked`}
          </span>
        </footer>
      )}
    </>
  );
}

function Row({ row: r, isMarked, onMark, hasMarks }: { row: ReadyRow; isMarked: boolean; onMark: ((isOn: boolean) => void) | undefined; hasMarks: boolean }) {
  return (
    <tr className={isMarked ? 'bg-act-wash' : ''}>
      {hasMarks && (
        <td className="pl-4!">
          {onMark && <input type="checkbox" aria-label={`Order ${r.number}`} checked={isMarked} onChange={(e) => onMark(e.target.checked)} />}
        </td>
      )}
      <td className="whitespace-nowrap">
        <Link className="code quiet-link" to={`/orders/${r.number}?bench=release`}>
          {r.number}
        </Link>{' '}
        {r.name} {r.state === 'firm' && <span className="text-[12px] text-quiet">firm</span>}
        {r.wanted && <span className="block max-w-56 truncate text-[12px] text-quiet">{r.wanted}</span>}
      </td>
      <td className="num">
        {quantity(r.quantity)}
        <span className="unit">{r.unit}</span>
      </td>
      <td className="whitespace-nowrap">
        {day(r.due)}
        {r.days_late > 0 && <span className="block text-[12px] text-attention">{r.days_late} d late</span>}
      </td>
      <td className="whitespace-nowrap">{r.starts && day(r.starts)}</td>
      <td className="num">{r.worth && money(r.worth)}</td>
      <td className="w-full pr-4! text-[13px]/[18px]">
        {r.stops.map((s) => (
          <span key={s} className="block">
            {s}
          </span>
        ))}
        {r.count > r.stops.length && <span className="block text-quiet">and {r.count - r.stops.length} more</span>}
      </td>
    </tr>
  );
}
