import { useQuery } from '@tanstack/react-query';
import { Link, useParams, useSearchParams } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { day, moment } from '../../lib/date';
import { isZero, money } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Empty, Loaded } from '../../ui/States';
import { CostFrame } from './CostFrame';
import { type Account, booksOptions, sheetOptions, type Trial } from './queries';

const PAGE = 100;

/** All accounts in a span, and the journal as files. */
export function BooksPage() {
  const [query, setQuery] = useSearchParams();
  const [since, until] = [query.get('since') ?? '', query.get('until') ?? ''];
  const books = useQuery(booksOptions(since, until));
  const { start } = useCommands();
  const may = useMay();
  const span = new URLSearchParams({ ...(since && { since }), ...(until && { until }) });
  return (
    <CostFrame
      title="Books"
      words="Every account in a span of days; the journal as files that other books read."
      acts={
        <>
          {(['csv', 'xlsx', 'txt'] as const).map((form) => (
            <a key={form} className="quiet-link text-act" href={`/api/journal.${form}?${span}`}>
              {form === 'txt' ? 'Plain-text double entry' : `Journal ${form.toUpperCase()}`}
            </a>
          ))}
          <a className="quiet-link text-act" href="/api/journal.schema.json">
            Schema
          </a>
          {may.has('set-account-code') && <Button onClick={() => start('set-account-code')}>Code of an account…</Button>}
        </>
      }
    >
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1.5 px-4 pb-2 text-quiet">
        {(['since', 'until'] as const).map((name) => (
          <label key={name} className="flex items-center gap-1.5">
            {name === 'since' ? 'from' : 'to'}
            <input
              type="date"
              className="entry w-36!"
              value={(name === 'since' ? since : until) || (books.data?.[name] ?? '')}
              onChange={(e) => setQuery({ ...Object.fromEntries(query), [name]: e.target.value }, { replace: true })}
            />
          </label>
        ))}
      </div>
      <Loaded query={books}>{(b) => (b.rows.length === 0 ? <Empty>Nothing was posted yet.</Empty> : <Table books={b} />)}</Loaded>
    </CostFrame>
  );
}

function Table({ books }: { books: Trial }) {
  return (
    <table className="rows" aria-label="Trial balance">
      <thead>
        <tr>
          <th className="pl-4!">Account</th>
          <th>code</th>
          <th className="num">opening</th>
          <th className="num">debit</th>
          <th className="num">credit</th>
          <th className="num pr-4!">closing</th>
        </tr>
      </thead>
      <tbody>
        {books.rows.map((t) => (
          <tr key={t.account}>
            <td className="w-full pl-4! first-letter:uppercase">
              <Link className="quiet-link" to={`/cost/books/${encodeURIComponent(t.account)}?since=${books.since}&until=${books.until}`}>
                {t.account}
              </Link>
            </td>
            <td className="code">
              {t.code}
              {books.codes.some((c) => c.account === t.account) && <span title={books.codes.filter((c) => c.account === t.account).map((c) => `${c.item || c.item_group || c.work_center}: ${c.code}`).join(', ')}> …</span>}
            </td>
            <td className="num">{money(t.opening)}</td>
            <td className="num">{!isZero(t.debit) && money(t.debit)}</td>
            <td className="num">{!isZero(t.credit) && money(t.credit)}</td>
            <td className="num pr-4! font-semibold">{money(t.closing)}</td>
          </tr>
        ))}
      </tbody>
      <tfoot>
        <tr className="font-semibold">
          <td className="pl-4!" colSpan={3}>
            All together
          </td>
          <td className="num">{money(books.debit)}</td>
          <td className="num">{money(books.credit)}</td>
          <td className="pr-4!" />
        </tr>
      </tfoot>
    </table>
  );
}

/** The lines of one account, each with what stood on it after. */
export function SheetPage() {
  const account = (useParams()['account'] ?? '') as Account;
  const [query, setQuery] = useSearchParams();
  const [since, until, skip] = [query.get('since') ?? '', query.get('until') ?? '', Number(query.get('skip') ?? 0)];
  const sheet = useQuery(sheetOptions(account, since, until, skip));
  const turn = (to: number) => setQuery({ ...Object.fromEntries(query), skip: String(to) }, { replace: true });
  return (
    <CostFrame
      title={<span className="inline-block first-letter:uppercase">{account}</span>}
      words={sheet.data ? `${sheet.data.whole.toLocaleString()} lines from ${day(sheet.data.since)} to ${day(sheet.data.until)}; ${money(sheet.data.opening)} EUR stood on it before.` : ''}
      acts={
        <>
          {skip > 0 && <Button onClick={() => turn(Math.max(0, skip - PAGE))}>Earlier lines</Button>}
          {sheet.data && skip + PAGE < sheet.data.whole && <Button onClick={() => turn(skip + PAGE)}>Later lines</Button>}
        </>
      }
    >
      <Loaded query={sheet}>
        {(s) =>
          s.rows.length === 0 ? (
            <Empty>Nothing was posted to it in this time.</Empty>
          ) : (
            <table className="rows" aria-label="Account sheet">
              <thead>
                <tr>
                  <th className="pl-4!">When</th>
                  <th>posting</th>
                  <th>what</th>
                  <th>order</th>
                  <th>of</th>
                  <th className="num">EUR</th>
                  <th className="num pr-4!">stands at</th>
                </tr>
              </thead>
              <tbody>
                {s.rows.map((r, n) => (
                  <tr key={`${r.posting} ${n}`}>
                    <td className="pl-4! whitespace-nowrap">{moment(r.at)}</td>
                    <td>
                      <Link className="code quiet-link" to={`/postings/${r.posting}`}>
                        {r.posting}
                      </Link>
                    </td>
                    <td className="w-full">
                      {r.kind}
                      {r.belongs_on && <span className="text-quiet">, belongs to {day(r.belongs_on)}</span>}
                    </td>
                    <td className="whitespace-nowrap">
                      {r.order !== null && (
                        <Link className="code quiet-link" to={`/orders/${r.order}`}>
                          {r.order}
                        </Link>
                      )}
                      {r.operation !== null && <span className="text-quiet"> op {r.operation}</span>}
                    </td>
                    <td className="whitespace-nowrap">{r.item ? <span className="code">{r.item}</span> : r.element}</td>
                    <td className="num">{money(r.amount)}</td>
                    <td className="num pr-4!">{money(r.balance)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          )
        }
      </Loaded>
    </CostFrame>
  );
}
