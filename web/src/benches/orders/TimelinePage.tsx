import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { Link, useParams } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { moment } from '../../lib/date';
import { Button } from '../../ui/Button';
import { Entry } from '../../ui/Field';
import { Loaded } from '../../ui/States';
import { sawTimeline, timelineOptions, type Timeline, type TimelineRow } from './queries';

/** Everything that happened to an order, newest first; what is new to this person is marked. */
export function TimelinePage() {
  const number = Number(useParams()['number']);
  const timeline = useQuery(timelineOptions(number));
  return <Loaded query={timeline}>{(t) => <Page number={number} timeline={t} />}</Loaded>;
}

function Page({ number, timeline: t }: { number: number; timeline: Timeline }) {
  const { start } = useCommands();
  const may = useMay();
  const [filter, setFilter] = useState('');
  useEffect(() => void sawTimeline(number, t.last), [number, t.last]);
  const words = filter.toLowerCase();
  const shown = t.rows.filter((r) => wordsOf(r).includes(words));
  const fresh = t.rows.filter((r) => r.is_new).length;
  return (
    <article>
      <header className="flex flex-wrap items-start justify-between gap-x-6 gap-y-1 px-4 pt-3 pb-2">
        <div>
          <h1>
            What happened to order{' '}
            <Link className="code quiet-link text-[17px]" to={`/orders/${number}`}>
              {number}
            </Link>
          </h1>
          <p role="status" className="text-quiet">
            {fresh === 0 ? 'nothing new since you looked last' : fresh === 1 ? 'one thing is new since you looked last' : `${fresh} things are new since you looked last`}
          </p>
        </div>
        <div className="flex flex-wrap items-center gap-2 print:hidden">
          <Entry aria-label="Filter what happened" placeholder="Type to filter" className="w-44!" value={filter} onChange={(e) => setFilter(e.target.value)} />
          {may.has('write-note') && <Button onClick={() => start('write-note', { kind: 'order', code: String(number) })}>Write a note…</Button>}
          <Button onClick={() => print()}>Print</Button>
        </div>
      </header>
      <table className="rows" aria-label="What happened">
        <thead>
          <tr>
            <th className="pl-4!">when</th>
            <th>what</th>
            <th>changed, and why</th>
            <th>who</th>
            <td className="pr-4!" />
          </tr>
        </thead>
        <tbody>
          {shown.map((r) => (
            <Row key={`${r.entry} ${r.entered_at}`} row={r} />
          ))}
          {shown.length === 0 && (
            <tr>
              <td colSpan={5} className="pl-4! text-quiet">
                {t.rows.length === 0 ? 'Nothing is known of it yet.' : 'Nothing answers to the filter.'}
              </td>
            </tr>
          )}
        </tbody>
      </table>
      {t.has_more && <p className="px-4 py-1 text-quiet">the last 200 acts</p>}
    </article>
  );
}

const wordsOf = (r: TimelineRow) => [r.title, r.person, r.words, ...r.changes, ...r.postings.map((p) => p.kind)].join(' ').toLowerCase();

function Row({ row: r }: { row: TimelineRow }) {
  const { start } = useCommands();
  const isGone = r.postings.length > 0 && r.postings.every((p) => p.taken_back_by || p.reverses);
  const last = r.postings.findLast((p) => !p.taken_back_by && !p.reverses);
  return (
    <tr className={isGone ? 'text-quiet' : r.is_new ? 'bg-act-wash' : ''}>
      <td className="pl-4! align-top whitespace-nowrap">
        {moment(r.entered_at)}
        {r.is_new && <span className="ml-2 text-[12px] font-semibold text-act">new</span>}
      </td>
      <td className="align-top whitespace-nowrap">
        {r.title}
        {r.postings.map((p) => (
          <span key={p.number} className="block text-[12px] text-quiet">
            <Link className="quiet-link" to={`/postings/${p.number}`}>
              {p.kind} {p.number}
            </Link>
            {p.operation !== null && ` · op ${p.operation}`}
            {p.taken_back_by && ` · taken back by ${p.taken_back_by}`}
          </span>
        ))}
      </td>
      <td className="w-full align-top">
        {r.changes.map((c) => (
          <span key={c} className="block">
            {c}
          </span>
        ))}
        {r.words && <span className="block text-quiet">{r.words}</span>}
      </td>
      <td className="align-top whitespace-nowrap text-quiet">{r.person}</td>
      <td className="pr-4! align-top print:hidden">
        {last && (
          <Button look="link" aria-label={`take back ${last.kind} ${last.number}`} onClick={() => start('take-back', { posting: last.number })}>
            take back
          </Button>
        )}
      </td>
    </tr>
  );
}
