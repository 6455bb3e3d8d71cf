import { useQuery } from '@tanstack/react-query';
import { type ReactNode, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { costSetsOptions } from '../../api/queries';
import { type Against, againstOptions, type CostSet, openedOptions } from './queries';
import { useCommands } from '../../commands/CommandContext';
import { JobProgress } from '../../commands/JobProgress';
import { day } from '../../lib/date';
import { isZero, money, percent, plain } from '../../lib/decimal';
import { ApiError, type Problem, startJob } from '../../api/http';
import { Button } from '../../ui/Button';
import { Money, Quantity, VarianceText } from '../../ui/Numbers';
import { Empty, Loaded, ProblemNote } from '../../ui/States';
import { CostFrame } from './CostFrame';
import { partWords, setName } from './logic';
import { useMay } from '../../commands/useMay';

/** The sets of standards: in force, next, as they would be; any two against each other. */
export function StandardsPage() {
  const sets = useQuery(costSetsOptions());
  const { start } = useCommands();
  const may = useMay();
  const [query, setQuery] = useSearchParams();
  const [refused, setRefused] = useState<Problem | null>(null);
  const job = Number(query.get('job') ?? 0);
  const choose = (more: Record<string, string>) => setQuery({ ...Object.fromEntries(query), ...more }, { replace: true });
  async function rollUp() {
    setRefused(null);
    try {
      const started = await startJob('roll-up-next', {});
      choose({ job: String(started.number) });
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      setRefused(error.problem);
    }
  }
  return (
    <CostFrame
      title="Standards"
      words="One set is in force. The next is rolled up from today's prices, rates and structures; a what-if is a list of changes over another set."
      acts={
        <>
          {may.has('write-what-if') && <Button onClick={() => start('write-what-if')}>Write a what-if…</Button>}
          {may.has('roll-up-next') && (
            <Button look="act" onClick={() => void rollUp()}>
              Roll up the next
            </Button>
          )}
        </>
      }
    >
      {refused && <ProblemNote problem={refused} />}
      {job > 0 && <JobProgress number={job} />}
      <Loaded query={sets}>
        {(rows) =>
          rows.length === 0 ? (
            <Empty>No standard yet. Roll up the next set and put it in force: then orders can be released.</Empty>
          ) : (
            <>
              <Sets rows={rows} />
              <Compare rows={rows} query={query} choose={choose} />
            </>
          )
        }
      </Loaded>
    </CostFrame>
  );
}

function Sets({ rows }: { rows: CostSet[] }) {
  const { start } = useCommands();
  const may = useMay();
  const [isAll, setAll] = useState(false);
  const past = rows.filter((s) => s.state === 'past');
  const shown = isAll ? rows : rows.filter((s) => s.state !== 'past' || s.number === past[0]?.number);
  return (
    <table className="rows" aria-label="Sets of standards">
      <thead>
        <tr>
          <th className="pl-4!">Set</th>
          <th>of</th>
          <th>in force since</th>
          <th className="num">items</th>
          <th>what it says</th>
          <td />
        </tr>
      </thead>
      <tbody>
        {shown.map((s) => (
          <tr key={s.number} className={s.state === 'current' ? 'bg-sheet' : ''}>
            <td className="pl-4! whitespace-nowrap font-semibold">{s.state === 'what-if' ? s.name : s.state}</td>
            <td className="whitespace-nowrap">{s.as_of && day(s.as_of)}</td>
            <td className="whitespace-nowrap">{s.activated_at && day(s.activated_at.slice(0, 10))}</td>
            <td className="num">{s.items > 0 && s.items.toLocaleString()}</td>
            <td className="w-full text-quiet">
              {s.changes.map((c) => changeWords(c)).join(' · ')} {s.note}
              {s.missing.length > 0 && (
                <span className="ml-2 text-attention" title={s.missing.map((m) => `${m.why} ${m.fix}`).join('\n')}>
                  {s.missing.length} without a standard: {s.missing.map((m) => m.item).slice(0, 4).join(', ')}
                </span>
              )}
            </td>
            <td className="num pr-4! whitespace-nowrap">
              {(s.state === 'next' || s.state === 'past') && may.has('activate-set') && (
                <Button look="link" onClick={() => start('activate-set', { cost_set: s.number })}>
                  {s.state === 'next' ? 'Put in force…' : 'Put in force again…'}
                </Button>
              )}
              {s.state === 'what-if' && may.has('write-what-if') && (
                <>
                  <Button
                    look="link"
                    className="mr-3"
                    onClick={() => start('write-what-if', { name: s.name, base: s.base, changes: s.changes.map((c) => changeGiven(c)), note: s.note })}
                  >
                    Change…
                  </Button>
                  <Button look="link" onClick={() => start('drop-what-if', { name: s.name })}>
                    Drop…
                  </Button>
                </>
              )}
            </td>
          </tr>
        ))}
        {past.length > 1 && !isAll && (
          <tr>
            <td colSpan={6} className="pl-4!">
              <Button look="link" onClick={() => setAll(true)}>
                {past.length - 1} older {past.length === 2 ? 'one' : 'ones'}
              </Button>
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}

type Change = CostSet['changes'][number];

function changeWords(c: Change): string {
  if (c.to !== null && c.to !== undefined) return `${c.kind} of ${c.code} ${plain(c.to)}`;
  const by = c.by ?? '0';
  return `${c.kind} of ${c.code} ${by.startsWith('-') ? '−' : '+'}${percent(by.replace('-', ''))}`;
}

const changeGiven = (c: Change) => ({
  kind: c.kind,
  code: c.code,
  ...(c.to === null || c.to === undefined ? { by: plain(c.by ?? '0') } : { to: plain(c.to) }),
});

function Compare({ rows, query, choose }: { rows: CostSet[]; query: URLSearchParams; choose: (more: Record<string, string>) => void }) {
  const current = rows.find((s) => s.state === 'current');
  const other = rows.find((s) => s.state !== 'current');
  // one that was chosen and has been replaced since is no longer there
  const chosen = (name: string) => rows.find((s) => String(s.number) === query.get(name))?.number;
  const now = chosen('new') ?? other?.number ?? 0;
  const old = chosen('old') ?? current?.number ?? 0;
  const item = query.get('item') ?? '';
  const found = useQuery({ ...againstOptions(now, old), enabled: now > 0 && old > 0 && now !== old });
  const pick = (name: string, value: number, words: string) => (
    <label className="flex items-center gap-1.5 text-quiet">
      {words}
      <select className="entry w-52!" value={value} onChange={(e) => choose({ [name]: e.target.value })}>
        {rows.map((s) => (
          <option key={s.number} value={s.number}>
            {setName(s)}
          </option>
        ))}
      </select>
    </label>
  );
  if (!other) return <p className="px-4 py-3 text-quiet">Roll up the next set, or write a what-if, to see what would move.</p>;
  return (
    <section aria-label="One set against another">
      <div className="flex flex-wrap items-center gap-4 border-t border-hair-strong px-4 py-2">
        {pick('new', now, 'What')}
        {pick('old', old, 'costs against')}
        {found.data && (
          <span className="text-quiet">
            {found.data.different.toLocaleString()} of {found.data.items.toLocaleString()} items differ
            {found.data.rows.length < found.data.different && `, the first ${found.data.rows.length} shown`}; screened in floating point, exact where
            an item is opened
          </span>
        )}
      </div>
      {now !== old && (
        <Loaded query={found}>
          {(a) => <Rows against={a} item={item} onItem={(code) => choose({ item: code === item ? '' : code })} />}
        </Loaded>
      )}
    </section>
  );
}

function Rows({ against: a, item, onItem }: { against: Against; item: string; onItem: (code: string) => void }) {
  const causes = a.causes.filter((c) => a.rows.some((r) => r.causes.some((found) => found.cause === c)));
  const most = Math.max(...a.rows.map((r) => Math.abs(Number(r.difference))), 0);
  if (a.rows.length === 0) return <p className="px-4 py-2 text-quiet">Every item costs the same in both.</p>;
  return (
    <table className="rows" aria-label="What differs">
      <thead>
        <tr>
          <th className="pl-4!">Item</th>
          <th className="num">costs, EUR</th>
          <th className="num">against</th>
          <th className="num">difference</th>
          <td className="w-32" />
          {causes.map((c) => (
            <th key={c} className="num">
              by {c}
            </th>
          ))}
          <td className="pr-4!" />
        </tr>
      </thead>
      {a.rows.map((r) => (
        <tbody key={r.item}>
          <tr className={r.item === item ? 'bg-sheet' : ''}>
            <td className="w-full pl-4!">
              <button type="button" className="quiet-link cursor-pointer text-left" aria-expanded={r.item === item} onClick={() => onItem(r.item)}>
                {r.name}
              </button>{' '}
              <Link className="code quiet-link" data-peek={r.item} to={`/define/items/${encodeURIComponent(r.item)}/cost`}>
                {r.item}
              </Link>
            </td>
            <td className="num" title={r.new}>
              <Money value={r.new} />
            </td>
            <td className="num text-quiet" title={r.old}>
              <Money value={r.old} />
            </td>
            <td className="num">
              <VarianceText value={r.difference} />
            </td>
            <td>
              <Bar value={Number(r.difference)} most={most} />
            </td>
            {causes.map((c) => (
              <td key={c} className="num">
                {money(r.causes.find((found) => found.cause === c)?.amount ?? '0').replace(/^0[.,]00$/, '')}
              </td>
            ))}
            <td className="pr-4!" />
          </tr>
          {r.item === item && <Drill now={a.new} old={a.old} item={item} span={6 + causes.length} />}
        </tbody>
      ))}
    </table>
  );
}

/** What moved within an item, exactly: by element, and down to the price, the rate or the hours that did it. */
function Drill({ now, old, item, span }: { now: number; old: number; item: string; span: number }) {
  const opened = useQuery(openedOptions(now, old, item));
  const row = (content: ReactNode) => (
    <tr>
      <td colSpan={span} className="h-auto! pl-8!">
        {content}
      </td>
    </tr>
  );
  if (!opened.data) return row(<span className="text-quiet">Taking it apart</span>);
  const parts = opened.data.parts.filter((p) => p.amount !== p.old_amount).slice(0, 12);
  const elements = opened.data.elements.filter((e) => e.new !== e.old);
  return row(
    <div className="flex flex-wrap items-start gap-10">
      <Moved
        head={`What moved in ${item}, over all levels`}
        rows={parts.map((p) => ({
          key: p.kind + p.code,
          old: p.old_amount,
          now: p.amount,
          moved: p.moved,
          words: (
            <>
              <span className="mr-2 text-quiet">{partWords(p)}</span>
              {p.name} <span className="code text-quiet">{p.code}</span>
              {p.quantity !== p.old_quantity && (
                <span className="ml-2 text-[12px] text-quiet">
                  <Quantity value={p.old_quantity} /> → <Quantity value={p.quantity} unit={p.unit} />
                </span>
              )}
            </>
          ),
        }))}
      />
      <Moved head="By element" rows={elements.map((e) => ({ key: e.element, old: e.old, now: e.new, moved: e.moved, words: e.element }))} />
    </div>,
  );
}

function Moved({ head, rows }: { head: string; rows: { key: string; words: ReactNode; old: string; now: string; moved: string }[] }) {
  return (
    <table className="my-1 w-auto! rows" aria-label={head}>
      <thead>
        <tr>
          <th>{head}</th>
          <th className="num">was</th>
          <th className="num">is, EUR</th>
          <th className="num">moved</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((r) => (
          <tr key={r.key}>
            <td>{r.words}</td>
            <td className="num text-quiet">{money(r.old)}</td>
            <td className="num">{money(r.now)}</td>
            <td className="num">
              <VarianceText value={r.moved} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Bar({ value, most }: { value: number; most: number }) {
  const width = most > 0 ? (Math.abs(value) / most) * 100 : 0;
  return (
    <span aria-hidden className="block h-2 w-24">
      <span
        className={`block h-2 ${isZero(String(value)) ? '' : value < 0 ? 'bg-favourable' : 'bg-unfavourable'}`}
        style={{ width: `${width}%` }}
      />
    </span>
  );
}
