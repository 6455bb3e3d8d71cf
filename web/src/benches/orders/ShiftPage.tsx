import { useQuery } from '@tanstack/react-query';
import { type KeyboardEvent, useEffect, useId, useRef, useState } from 'react';
import { Link } from 'react-router';
import { api, ApiError, command, data, type Outcome, type Problem } from '../../api/http';
import { basicsOptions } from '../../api/queries';
import { cellsOfFile, SHEETS } from '../../api/sheet';
import type { Inputs } from '../../commands/inputs';
import { ConsequencesTable } from '../../consequences/ConsequencesTable';
import { isManyCells } from '../../lib/cells';
import { Button } from '../../ui/Button';
import { Entry } from '../../ui/Field';
import { FileLink } from '../../ui/FileEntry';
import { ProblemNote } from '../../ui/States';
import { type Column, COLUMNS, faultsOf, isBlank, keepRows, keptRows, pasted, rowGiven, rowsFrom, rowsOf, type ShiftRow, unread, withRoom } from './shift';

const PAUSE = 400;
const HEADS: Record<Column, { words: string; wide: string; isNumber?: true }> = {
  order: { words: 'order', wide: 'w-17', isNumber: true },
  operation: { words: 'op', wide: 'w-12', isNumber: true },
  good: { words: 'good', wide: 'w-15', isNumber: true },
  scrap: { words: 'scrap', wide: 'w-14', isNumber: true },
  why: { words: 'why', wide: 'w-26' },
  setup_hours: { words: 'setup h', wide: 'w-16', isNumber: true },
  run_hours: { words: 'run h', wide: 'w-16', isNumber: true },
  who: { words: 'who', wide: 'w-24' },
  started: { words: 'from', wide: 'w-15' },
  ended: { words: 'to', wide: 'w-15' },
  lot: { words: 'lot', wide: 'w-22' },
  note: { words: 'note', wide: '' },
};

/** What happened in a shift, one row each, entered or pasted as in a spreadsheet; the sums of its consequences beside it. */
export function ShiftPage() {
  const [rows, setRows] = useState<ShiftRow[]>(keptRows);
  const [receive, setReceive] = useState(true);
  const [told, setTold] = useState('');
  const [problem, setProblem] = useState<Problem | null>(null);
  const [isPosting, setPosting] = useState(false);
  const key = useRef<{ key: string; of: string } | null>(null);
  const basics = useQuery(basicsOptions()).data;
  const reasons = basics?.reasons.filter((r) => r.use === 'scrap') ?? [];
  const [whys, whos] = [useId(), useId()];
  const [day, setDay] = useState('');
  const said = { receive, ...(day ? { day } : {}) };

  useEffect(() => keepRows(rows), [rows]);

  async function take(come: () => Promise<ShiftRow[]>) {
    setProblem(null);
    try {
      const found = await come();
      setRows((was) => withRoom([...was.filter((row) => !isBlank(row)), ...found]));
      setTold(found.length > 0 ? `${counted(found.length, 'row')} read.` : 'Nothing was read: there is no row in it.');
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      setProblem(error.problem);
    }
  }

  const filled = rows.filter((row) => !isBlank(row));
  const whole = filled.filter((row) => unread(row) === null).map((row) => ({ id: row.id, given: rowGiven(row) }));
  const ids = whole.map((w) => w.id);
  const content = JSON.stringify({ rows: whole.map((w) => w.given), ...said });
  const [asked, setAsked] = useState({ content, ids });
  useEffect(() => {
    const timer = setTimeout(() => setAsked({ content, ids }), PAUSE);
    return () => clearTimeout(timer);
    // oxlint-disable-next-line react/exhaustive-deps -- the ids go with the content
  }, [content]);
  const check = useQuery({
    queryKey: ['preview', 'post-shift', asked.content],
    queryFn: () => checked(asked.ids, JSON.parse(asked.content)),
    enabled: asked.ids.length > 0,
    retry: false,
    gcTime: 0,
    placeholderData: (was) => was,
  });
  const isChecked = asked.content === content && check.data !== undefined && !check.isPlaceholderData;
  const consequences = asked.ids.length > 0 ? check.data?.consequences : undefined;
  const faults = check.data?.faults ?? new Map<string, string>();
  const wrongOf = (row: ShiftRow) => (isBlank(row) ? null : (unread(row) ?? faults.get(row.id) ?? null));
  const good = whole.filter((w) => !faults.has(w.id));
  const wrong = filled.length - good.length;

  async function post() {
    const given = { rows: good.map((w) => w.given), ...said };
    const of = JSON.stringify(given);
    if (key.current?.of !== of) key.current = { key: crypto.randomUUID(), of };
    setPosting(true);
    setProblem(null);
    try {
      const outcome = await command('post-shift', given, { key: key.current.key, ...(check.data ? { seen: check.data.seen } : {}) });
      key.current = null;
      const posted = new Set(good.map((w) => w.id));
      setRows((was) => withRoom(was.filter((row) => !posted.has(row.id))));
      setTold(`${counted(good.length, 'row')} posted as ${counted(outcome.postings.length, 'posting')}.${wrong > 0 ? ' What is to put right is still here.' : ''}`);
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      setProblem(error.problem);
      void check.refetch();
    } finally {
      setPosting(false);
    }
  }

  const change = (n: number, column: Column, text: string) => {
    setTold('');
    setRows((was) => withRoom(was.map((row, k) => (k === n ? { ...row, [column]: text } : row))));
  };

  return (
    <main className="h-full overflow-y-auto">
      <header className="flex flex-wrap items-center justify-between gap-x-4 gap-y-1 px-4 pt-3 pb-2">
        <h1>
          Shift entry{' '}
          <span className="text-[15px] font-normal text-quiet">
            {counted(filled.length, 'row')}
            {wrong > 0 && ` · ${wrong} to put right`}
          </span>
        </h1>
        <span className="flex flex-wrap items-center gap-x-4 gap-y-1">
          <Link className="quiet-link text-act" to="/make">
            Orders that run
          </Link>
          <FileLink accept={SHEETS} onFile={(file) => void take(async () => rowsOf(await cellsOfFile(file)))}>
            Read a file, CSV or XLSX…
          </FileLink>
          <Button look="link" onClick={() => void take(() => machineCounter(day))}>
            Machine counters
          </Button>
          <label className="flex items-center gap-1.5">
            Day, if not today
            <Entry type="date" className="max-w-36" value={day} onChange={(e) => setDay(e.target.value)} />
          </label>
          <label className="flex items-center gap-1.5">
            <input type="checkbox" checked={receive} onChange={(e) => setReceive(e.target.checked)} />
            Receive what is good at the last operation
          </label>
          <Button look="act" disabled={good.length === 0 || !isChecked || isPosting} onClick={() => void post()}>
            Post {counted(good.length, 'row')}
          </Button>
        </span>
      </header>
      <p role="status" className="px-4 pb-1 text-quiet">
        {told || 'One row for what happened at an operation. Paste from a spreadsheet into any cell; hours left empty follow from and to, else the standard. Who is at several machines at once is shared among them.'}
      </p>
      {problem && (
        <div className="px-4 pb-2">
          <ProblemNote problem={problem} />
        </div>
      )}
      <div className="grid gap-4 px-4 pb-6 xl:grid-cols-[minmax(0,1fr)_360px]">
        <table className="rows self-start max-md:block max-md:overflow-x-auto" aria-label="Shift">
          <thead>
            <tr>
              {COLUMNS.map((c) => (
                <th key={c} className={`${HEADS[c].wide} ${HEADS[c].isNumber ? 'num' : ''}`}>
                  {HEADS[c].words}
                </th>
              ))}
            </tr>
          </thead>
          {rows.map((row, n) => (
            <tbody key={row.id}>
              <tr>
                {COLUMNS.map((c) => (
                  <td key={c} className="p-0.5!">
                    <Entry
                      aria-label={`${HEADS[c].words} of row ${n + 1}`}
                      data-cell={`${n} ${c}`}
                      className={`${HEADS[c].isNumber ? 'num' : ''} ${wrongOf(row) ? 'border-attention!' : ''}`}
                      inputMode={HEADS[c].isNumber ? 'decimal' : 'text'}
                      list={c === 'why' ? whys : c === 'who' ? whos : undefined}
                      value={row[c]}
                      onChange={(e) => change(n, c, HEADS[c].isNumber ? e.target.value.replace(',', '.') : e.target.value)}
                      onKeyDown={(e) => walk(e, n, c)}
                      onPaste={(e) => {
                        const text = e.clipboardData.getData('text/plain');
                        if (!isManyCells(text)) return;
                        e.preventDefault();
                        setTold('');
                        setRows((was) => pasted(was, n, c, text));
                      }}
                    />
                  </td>
                ))}
              </tr>
              {wrongOf(row) && (
                <tr>
                  <td colSpan={COLUMNS.length} className="text-attention">
                    <span className="block max-md:max-w-[calc(100vw-3rem)]">{wrongOf(row)}</span>
                  </td>
                </tr>
              )}
            </tbody>
          ))}
        </table>
        <datalist id={whys}>
          {reasons.map((r) => (
            <option key={r.code} value={r.code}>
              {r.name}
            </option>
          ))}
        </datalist>
        <datalist id={whos}>
          {basics?.people.map((p) => (
            <option key={p.code} value={p.code}>
              {p.name}
            </option>
          ))}
        </datalist>
        <section aria-label="What all of it does" className="self-start">
          {check.error instanceof ApiError && asked.ids.length > 0 && <ProblemNote problem={check.error.problem} />}
          {consequences && !check.error && <ConsequencesTable of={consequences} />}
        </section>
      </div>
    </main>
  );
}

/** Ask what the machines counted on a day. */
async function machineCounter(day: string): Promise<ShiftRow[]> {
  const text = await data<unknown>(api.GET('/api/stand-ins/machine-counter.csv', { params: { query: day ? { day } : {} }, parseAs: 'text' }));
  return rowsFrom(String(text), { isFile: true });
}

type Given = Inputs['post-shift'];

/** Preview rows: what is wrong with which, and what those without a fault do, which is what would be posted. */
async function checked(ids: string[], given: Given): Promise<Pick<Outcome, 'consequences' | 'seen'> & { faults: Map<string, string> }> {
  const all = await command('post-shift', given);
  const faults = faultsOf(ids, all.consequences.remarks);
  if (faults.size === 0) return { faults, consequences: all.consequences, seen: all.seen };
  const rows = given.rows.filter((_, n) => !faults.has(ids[n] ?? ''));
  const none = { ...all.consequences, remarks: [] };
  const rest = rows.length > 0 ? await command('post-shift', { ...given, rows }) : { consequences: none, seen: all.seen };
  return { faults, consequences: rest.consequences, seen: rest.seen };
}

const counted = (count: number, word: string) => `${count} ${count === 1 ? word : `${word}s`}`;

/** Go through the sheet with arrows and Enter, as in a spreadsheet. */
function walk(event: KeyboardEvent<HTMLInputElement>, row: number, column: Column) {
  const entry = event.currentTarget;
  const at = COLUMNS.indexOf(column);
  const isAtEnd = entry.selectionStart === entry.value.length;
  const isAtStart = entry.selectionEnd === 0 || (entry.selectionStart === 0 && entry.selectionEnd === entry.value.length);
  const to =
    event.key === 'ArrowUp' ? [row - 1, column]
    : event.key === 'ArrowDown' || event.key === 'Enter' ? [row + 1, column]
    : event.key === 'ArrowRight' && isAtEnd ? [row, COLUMNS[at + 1]]
    : event.key === 'ArrowLeft' && isAtStart ? [row, COLUMNS[at - 1]]
    : null;
  if (!to) return;
  const cell = document.querySelector<HTMLInputElement>(`[data-cell="${to[0]} ${to[1]}"]`);
  if (!cell) return;
  event.preventDefault();
  cell.focus();
  cell.select();
}
