import { useQuery, useQueryClient } from '@tanstack/react-query';
import { type KeyboardEvent, useEffect, useRef, useState } from 'react';
import { Link, useParams } from 'react-router';
import { ApiError } from '../../api/http';
import { basicsOptions } from '../../api/queries';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { isZero, plain, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Entry, NumberEntry } from '../../ui/Field';
import { Loaded, ProblemNote } from '../../ui/States';
import { nothingSeen, readScan, standing, takeOf, type Walked, walked } from './logic';
import { type PickList, pickListOptions, scanned } from './queries';
import { again, flush, forget, type Scan, send, useScans } from './scans';

/** A walk: one place at a time, the scan entry always ready; at the desk the same with the whole list below. */
export function PickPage() {
  const number = Number(useParams()['number']);
  const list = useQuery(pickListOptions(number));
  return (
    <main className="h-full overflow-y-auto">
      <Loaded query={list}>{(l) => <Walk key={l.number} list={l} />}</Loaded>
    </main>
  );
}

function Walk({ list }: { list: PickList }) {
  const client = useQueryClient();
  const { waiting, isLost } = useScans(list.number);
  const lines = walked(list, waiting);
  const [chosen, setChosen] = useState<number | null>(null);
  const current = lines.find((n) => n.line === chosen && n.isOpen) ?? lines.find((n) => n.isOpen);
  const now = standing(lines);
  useEffect(() => void flush(client), [client]);
  const refused = waiting.filter((s) => s.problem);
  return (
    <article className="max-w-[760px] pb-6">
      <header className="flex flex-wrap items-baseline justify-between gap-x-4 px-4 pt-3 pb-1">
        <h1>
          Pick for {list.orders}{' '}
          <span className="text-[15px] font-normal text-quiet">
            {now.done} of {now.all}
          </span>
        </h1>
        <span className="flex flex-wrap gap-x-4 print:hidden">
          <Link className="quiet-link text-act" to="/release/picks">
            All pick lists
          </Link>
          <a className="quiet-link text-act" href={`/api/papers/pick-list.pdf?code=${list.number}`} target="_blank" rel="noreferrer">
            Print
          </a>
          <Link className="quiet-link text-act" to={`/scanner?list=${list.number}`} target="_blank">
            Simulated scanner
          </Link>
        </span>
      </header>
      <p role="status" className={`px-4 ${isLost ? 'text-attention' : 'text-quiet'}`}>
        {waitingWords(waiting.length - refused.length, isLost)}
      </p>
      {refused.map((s) => (
        <Refused key={s.key} scan={s} />
      ))}
      {current ? (
        <Current key={current.line} list={list} lines={lines} current={current} onLine={setChosen} />
      ) : (
        <Done list={list} short={now.short.length} />
      )}
      <All list={list} lines={lines} current={current?.line} onLine={setChosen} />
    </article>
  );
}

function waitingWords(count: number, isLost: boolean): string {
  const scans = count === 1 ? '1 scan waits' : `${count} scans wait`;
  if (isLost) return `${scans} for the connection; go on, nothing is lost.`;
  return count > 0 ? `${scans} to arrive` : '';
}

/** A scan that the server refused: why, and what can be done about it. */
function Refused({ scan }: { scan: Scan }) {
  const client = useQueryClient();
  const reasons = useQuery(basicsOptions()).data?.reasons.filter((r) => r.use === 'over-issue') ?? [];
  if (!scan.problem) return null;
  return (
    <div className="mx-4 my-2">
      <ProblemNote
        problem={scan.problem}
        act={
          <span className="flex flex-wrap gap-2">
            {scan.problem.code === 'pick.more_than_listed' &&
              reasons.map((r) => (
                <Button key={r.code} onClick={() => again(client, scan, { why: r.code })}>
                  It is more: {r.name}
                </Button>
              ))}
            <Button onClick={() => forget(scan.key)}>Forget it</Button>
          </span>
        }
      />
    </div>
  );
}

/** The line in hand. */
function Current({ list, lines, current: n, onLine }: { list: PickList; lines: Walked[]; current: Walked; onLine: (line: number) => void }) {
  const client = useQueryClient();
  const [seen, setSeen] = useState(nothingSeen);
  const [code, setCode] = useState('');
  const [told, setTold] = useState('');
  const [amount, setAmount] = useState(plain(n.left));
  const [isShort, setShort] = useState(false);
  const entry = useRef<HTMLInputElement>(null);
  useEffect(() => entry.current?.focus(), []);

  function take(target = seen.target) {
    if (amount === '' || isZero(amount)) return setTold('Say how much was taken, or that it is short.');
    const isAll = amount === plain(n.left);
    const given = takeOf(n, isAll ? n.left : amount, { ...seen, target });
    send(client, { list: list.number, name: 'pick', given, words: `${quantity(amount)} ${n.unit} of ${n.item}` });
    setTold(`${quantity(amount)} ${n.unit} of ${n.item} taken`);
    setSeen(nothingSeen);
  }

  async function scan(text: string) {
    const reading = readScan(list, lines, n, seen, text);
    setCode('');
    setTold('');
    if (reading.kind === 'place') setSeen({ ...seen, place: true });
    else if (reading.kind === 'item') setSeen({ ...seen, item: true });
    else if (reading.kind === 'line') onLine(reading.line);
    else if (reading.kind === 'target') {
      setSeen({ ...seen, target: reading.code });
      if (reading.isTaken) take(reading.code);
      else setTold(`To ${reading.name}. Scan the place and the item first.`);
    } else await ask(text);
  }

  /** A code that no line knows: another lot of the item, or a carrier to put it on. */
  async function ask(text: string) {
    try {
      const found = await scanned(text);
      if (found.kind === 'lot' && found.code === n.item) setSeen({ ...seen, item: true, lot: found.lot });
      else if (found.kind === 'carrier' || found.kind === 'place') {
        setSeen({ ...seen, target: found.code });
        if (seen.place && seen.item) take(found.code);
        else setTold(`To ${found.name}. Scan the place and the item first.`);
      } else setTold(`${found.code} ${found.lot} is not wanted here.`);
    } catch (error) {
      setTold(error instanceof ApiError ? error.problem.title : 'That could not be read.');
    }
  }

  function onKeyDown(event: KeyboardEvent) {
    if (event.key !== 'Enter') return;
    event.preventDefault();
    if (code.trim() === '') take();
    else void scan(code);
  }

  function short(how: 'other place' | 'alternate' | 'later', item?: string) {
    if (amount !== '' && !isZero(amount) && amount !== plain(n.left)) take();
    send(client, { list: list.number, name: 'pick-short', given: { line: n.line, how, ...(item ? { item } : {}) }, words: `${n.item} is short` });
  }

  return (
    <section aria-label="Take next" className="mx-4 my-2 border border-hair-strong bg-sheet">
      <div className="flex flex-wrap items-baseline justify-between gap-x-4 border-b border-hair px-3 py-2">
        <span className="text-[22px]/[30px] font-semibold">
          {n.place_name} {n.place !== n.place_name && <span className="code text-[15px] font-normal text-quiet">{n.place}</span>}
        </span>
        <span className="text-quiet">
          {n.place_at && `stands at ${n.place_at} · `}order {n.order} op {n.operation}
          {n.tranche !== null && ` part ${n.tranche}`}
        </span>
      </div>
      <div className="flex flex-wrap items-baseline justify-between gap-x-4 px-3 pt-2">
        <span className="text-[17px]/[24px]">
          <span className="code text-[17px]">{n.item}</span> {n.name}
          {n.instead_of && <span className="block text-[14px] text-attention">in the place of {n.instead_of}</span>}
        </span>
        <span className="flex items-baseline gap-2 text-[22px] font-semibold">
          <span className="text-[14px] font-normal text-quiet">take</span> {quantity(n.left)} {n.unit}
        </span>
      </div>
      {(n.lot || seen.lot) && (
        <p className="px-3">
          lot <span className="code text-[15px]">{seen.lot || n.lot}</span>{' '}
          <span className="text-quiet">{seen.lot && seen.lot !== n.lot ? `instead of ${n.lot || 'any'}` : n.lot_words}</span>
        </p>
      )}
      <p className="px-3">
        to {seen.target || n.target_name}
        <span className="ml-4 whitespace-nowrap text-quiet">
          {seen.place ? '☑' : '☐'} place {seen.item ? '☑' : '☐'} item
        </span>
      </p>
      <div className="grid grid-cols-[1fr_120px] gap-2 px-3 pt-2">
        <Entry ref={entry} data-scan aria-label="Scan" placeholder="Scan place, item, lot or target" className="h-11!" value={code} onChange={(e) => setCode(e.target.value)} onKeyDown={onKeyDown} />
        <NumberEntry aria-label={`Taken of ${n.item}, ${n.unit}`} className="h-11! text-[17px]" value={amount} onValue={setAmount} onKeyDown={(e) => e.key === 'Enter' && (e.preventDefault(), take())} />
      </div>
      <p role="status" className="min-h-6 px-3 pt-1 text-quiet">
        {told}
      </p>
      {isShort ? (
        <div className="space-y-2 border-t border-hair px-3 py-2">
          <p>
            How much is there? It stands above; {quantity(n.left)} {n.unit} were listed. And the rest:
          </p>
          <div className="flex flex-wrap gap-2">
            <Button className="h-11!" onClick={() => short('other place')}>
              At another place
            </Button>
            {n.alternates.map((a) => (
              <Button key={a.item} className="h-11!" onClick={() => short('alternate', a.item)}>
                {a.item} instead ({quantity(a.free)} {a.unit} free)
              </Button>
            ))}
            <Button className="h-11!" onClick={() => short('later')}>
              Later
            </Button>
            <Button look="link" onClick={() => setShort(false)}>
              It is not short
            </Button>
          </div>
        </div>
      ) : (
        <div className="flex flex-wrap items-center gap-2 border-t border-hair px-3 py-2">
          <Button look="act" className="h-11! px-6!" onClick={() => take()}>
            Taken ⏎
          </Button>
          <Button className="h-11!" onClick={() => { setShort(true); setAmount('0'); }}>
            Short…
          </Button>
        </div>
      )}
    </section>
  );
}

function Done({ list, short }: { list: PickList; short: number }) {
  const { start } = useCommands();
  const may = useMay();
  return (
    <section aria-label="Picked" className="mx-4 my-2 border-l-4 border-act bg-act-wash px-3 py-2">
      <p className="text-[17px]">All that is there is taken{short > 0 ? `; ${short} short, below` : ''}.</p>
      {may.has('issue-picked') && (
        <p className="mt-1 flex flex-wrap gap-2">
          {list.ready.map((order) => (
            <Button key={order} className="h-11!" onClick={() => start('issue-picked', { order })}>
              Issue to {order}…
            </Button>
          ))}
        </p>
      )}
    </section>
  );
}

/** The whole list, in walking order. */
function All({ list, lines, current, onLine }: { list: PickList; lines: Walked[]; current: number | undefined; onLine: (line: number) => void }) {
  const { start } = useCommands();
  return (
    <div className="mt-3 overflow-x-auto">
      <table className="rows" aria-label="Pick list">
        <thead>
          <tr>
            <th className="pl-4!">Place</th>
            <th>what</th>
            <th className="num">listed</th>
            <th className="num">taken</th>
            <th>to</th>
            <td className="pr-4!" />
          </tr>
        </thead>
        <tbody>
          {lines.map((n) => (
            <tr key={n.line} className={n.line === current ? 'bg-act-wash' : n.isOpen ? '' : 'text-quiet'}>
              <td className="pl-4! whitespace-nowrap">{n.place_name}</td>
              <td className="w-full">
                {n.isOpen ? (
                  <Button look="link" aria-label={`Take ${n.item} at ${n.place_name} next`} onClick={() => onLine(n.line)}>
                    <span className="code">{n.item}</span>
                  </Button>
                ) : (
                  <span className="code">{n.item}</span>
                )}{' '}
                <span className="max-md:hidden">{n.name}</span> {n.lot && <span className="code text-quiet">{n.lot}</span>}
                {list.orders.includes(',') && <span className="ml-2 text-[12px] text-quiet">for {n.order}</span>}
              </td>
              <td className="num">
                {quantity(n.quantity)}
                <span className="unit">{n.unit}</span>
              </td>
              <td className="num">{isZero(n.picked) ? '–' : quantity(n.picked)}</td>
              <td className="whitespace-nowrap">{n.target_name}</td>
              <td className="pr-4! whitespace-nowrap">
                {n.isWaiting && <span className="text-attention">waits</span>}
                {n.state === 'short' && <span className="mr-3 text-attention">short</span>}
                {!isZero(n.picked) && (
                  <Button look="link" aria-label={`Put back ${n.item}`} onClick={() => start('put-back', { line: n.line, quantity: plain(n.picked) })}>
                    put back
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
