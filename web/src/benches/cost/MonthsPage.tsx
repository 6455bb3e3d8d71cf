import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { moment } from '../../lib/date';
import { isZero, money } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { VarianceText } from '../../ui/Numbers';
import { Empty, Loaded } from '../../ui/States';
import { CostFrame } from './CostFrame';
import { type Month, monthOptions, monthsOptions, type MonthRow, verifiedOptions } from './queries';

/** The months of the books, the latest first. */
export function MonthsPage() {
  const months = useQuery(monthsOptions());
  return (
    <CostFrame title="Months of the books" words="A closed month takes no postings: what comes late goes into the open one, and says where it belongs.">
      <Loaded query={months}>{({ rows, next }) => (rows.length === 0 ? <Empty>Nothing was posted yet.</Empty> : <Rows rows={rows} next={next} />)}</Loaded>
    </CostFrame>
  );
}

function Rows({ rows, next }: { rows: MonthRow[]; next: string | null }) {
  return (
    <table className="rows" aria-label="Months">
      <thead>
        <tr>
          <th className="pl-4!">Month</th>
          <th>state</th>
          <th>closed</th>
          <th>by</th>
          <th className="num pr-4!">opened again</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((r) => (
          <tr key={r.first}>
            <td className="pl-4! whitespace-nowrap">
              <Link className="quiet-link" to={`/cost/months/${r.first}`}>
                {r.name}
              </Link>
            </td>
            <td className="whitespace-nowrap">{r.is_closed ? 'closed' : !r.is_over ? 'goes on' : r.first === next ? <span className="text-attention">to be closed next</span> : 'open'}</td>
            <td className="whitespace-nowrap">{r.closed_at && moment(r.closed_at)}</td>
            <td className="w-full">{r.is_closed && r.closed_by}</td>
            <td className="num pr-4!">{r.reopened > 0 && r.reopened}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** One month: what stands open, its WIP, what work centers absorbed, its accounts. */
export function MonthPage() {
  const month = useQuery(monthOptions(useParams()['first'] ?? ''));
  return <Loaded query={month}>{(m) => <Page month={m} />}</Loaded>;
}

function Page({ month: m }: { month: Month }) {
  const { start } = useCommands();
  const may = useMay();
  const state = m.is_closed ? 'Closed' : m.is_over ? 'Open' : 'Goes on';
  return (
    <CostFrame
      title={m.name}
      words={`${state}. ${m.wip_orders} orders hold ${money(m.charged)} EUR of WIP, ${money(m.allowed)} by standard.`}
      acts={
        <>
          {!m.is_closed && may.has('enter-actual-cost') && <Button onClick={() => start('enter-actual-cost', { month: m.first })}>Enter what work centers cost…</Button>}
          {m.is_closed && may.has('reopen-period') && <Button onClick={() => start('reopen-period', { month: m.first })}>Open it again…</Button>}
          {m.is_next && m.is_over && may.has('close-period') && (
            <Button look="act" onClick={() => start('close-period', { month: m.first })}>
              Close {m.name}…
            </Button>
          )}
        </>
      }
    >
      <Findings month={m} />
      <Wip month={m} />
      <Spending month={m} />
      <TrialTable month={m} />
      <Events month={m} />
    </CostFrame>
  );
}

function Findings({ month: m }: { month: Month }) {
  const verified = useQuery(verifiedOptions());
  return (
    <ul aria-label="What stands open" className="border-b border-hair px-4 pb-2">
      {m.findings.map((f) => (
        <li key={f.kind} className="flex gap-2 py-0.5">
          <span aria-hidden className={`w-4 ${f.count === 0 ? 'text-favourable' : 'text-attention'}`}>
            {f.count === 0 ? '✓' : '•'}
          </span>
          {f.count === 0 ? (
            <span className="text-quiet">{f.sentence}</span>
          ) : (
            <Link className="quiet-link" to={f.leads_to}>
              {f.sentence}
            </Link>
          )}
        </li>
      ))}
      <li className="flex gap-2 py-0.5">
        <span aria-hidden className={`w-4 ${verified.data?.differences.length === 0 ? 'text-favourable' : 'text-attention'}`}>
          {verified.data?.differences.length === 0 ? '✓' : '•'}
        </span>
        {verified.data ? (
          <span className={verified.data.differences.length === 0 ? 'text-quiet' : ''}>
            {verified.data.differences.length === 0 ? `Every balance is what the postings say, ${moment(verified.data.at)}.` : verified.data.differences.join('; ')}
          </span>
        ) : (
          <Button look="link" disabled={verified.isFetching} onClick={() => void verified.refetch()}>
            {verified.isFetching ? 'Comparing every balance with its postings…' : 'Compare every balance with its postings'}
          </Button>
        )}
      </li>
    </ul>
  );
}

function Wip({ month: m }: { month: Month }) {
  if (m.wip.length === 0) return null;
  const orders = new Set(m.wip.map((w) => w.order)).size;
  return (
    <details className="border-b border-hair px-4 py-1.5" open={m.wip.length <= 24}>
      <summary className="cursor-pointer font-semibold">WIP by order and operation</summary>
      {orders < m.wip_orders && <p className="text-quiet">The first {orders} of {m.wip_orders} orders.</p>}
      <table className="rows" aria-label="WIP by order and operation">
        <thead>
          <tr>
            <th>Order</th>
            <th className="num">operation</th>
            <th className="num">charged</th>
            <th className="num">by standard</th>
            <th className="num">variance to date</th>
            <th>basis</th>
          </tr>
        </thead>
        <tbody>
          {m.wip.map((w, n) => (
            <tr key={`${w.order} ${w.operation}`}>
              <td className="w-full">
                {m.wip[n - 1]?.order !== w.order && (
                  <Link className="code quiet-link" to={`/orders/${w.order}`}>
                    {w.order}
                  </Link>
                )}
              </td>
              <td className="num">{w.operation}</td>
              <td className="num">{money(w.charged)}</td>
              <td className="num">{money(w.allowed)}</td>
              <td className="num">
                <VarianceText value={w.variance} />
              </td>
              <td className="text-quiet">{m.wip[n - 1]?.order !== w.order && w.basis}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}

function Spending({ month: m }: { month: Month }) {
  if (m.spending.length === 0) return null;
  return (
    <table className="rows mt-2" aria-label="Work centers">
      <thead>
        <tr>
          <th className="pl-4!">Work center</th>
          <th>what</th>
          <th className="num">absorbed</th>
          <th className="num">cost</th>
          <th className="num">budget</th>
          <th className="num">spending</th>
          <th className="num pr-4!">volume</th>
        </tr>
      </thead>
      <tbody>
        {m.spending.map((s, n) => (
          <tr key={`${s.work_center} ${s.kind}`}>
            <td className="w-full pl-4!">
              {m.spending[n - 1]?.work_center !== s.work_center && (
                <>
                  {s.name} <span className="code text-quiet">{s.work_center}</span>
                </>
              )}
            </td>
            <td className="whitespace-nowrap">{s.kind}</td>
            <td className="num">{money(s.absorbed)}</td>
            <td className="num">{s.actual === null ? <span className="text-quiet">not entered</span> : money(s.actual)}</td>
            <td className="num">{s.budget !== null && money(s.budget)}</td>
            <td className="num">{!isZero(s.spending) && <VarianceText value={s.spending} />}</td>
            <td className="num pr-4!">{!isZero(s.volume) && <VarianceText value={s.volume} />}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function TrialTable({ month: m }: { month: Month }) {
  return (
    <table className="rows mt-4" aria-label="Accounts of the month">
      <thead>
        <tr>
          <th className="pl-4!">Account</th>
          <th className="num">opening</th>
          <th className="num">debit</th>
          <th className="num">credit</th>
          <th className="num pr-4!">closing</th>
        </tr>
      </thead>
      <tbody>
        {m.trial.map((t) => (
          <tr key={t.account}>
            <td className="w-full pl-4! first-letter:uppercase">
              <Link className="quiet-link" to={`/cost/books/${encodeURIComponent(t.account)}?since=${m.first}`}>
                {t.account}
              </Link>
            </td>
            <td className="num">{money(t.opening)}</td>
            <td className="num">{!isZero(t.debit) && money(t.debit)}</td>
            <td className="num">{!isZero(t.credit) && money(t.credit)}</td>
            <td className="num pr-4! font-semibold">{money(t.closing)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Events({ month: m }: { month: Month }) {
  if (m.events.length === 0) return null;
  return (
    <ul aria-label="Closed and opened" className="px-4 py-2 text-quiet">
      {m.events.map((e) => (
        <li key={e.at}>
          {e.closes ? 'Closed' : 'Opened again'} {moment(e.at)} {e.person && `by ${e.person}`}
          {e.reason && `: ${e.reason}`}
        </li>
      ))}
    </ul>
  );
}
