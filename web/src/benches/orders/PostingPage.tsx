import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { type Posting, postingOptions } from './queries';
import { useCommands } from '../../commands/CommandContext';
import { moment } from '../../lib/date';
import { quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Money, Quantity } from '../../ui/Numbers';
import { Loaded } from '../../ui/States';

/** A posting with all its lines, as it was appended. */
export function PostingPage() {
  const number = Number(useParams()['number']);
  const posting = useQuery(postingOptions(number));
  return (
    <main className="h-full overflow-y-auto">
      <Loaded query={posting}>{(p) => <Page posting={p} />}</Loaded>
    </main>
  );
}

function Page({ posting: p }: { posting: Posting }) {
  const { start } = useCommands();
  return (
    <article className="max-w-[900px]">
      <header className="flex flex-wrap items-start justify-between px-4 pt-3 pb-2">
        <div>
          <h1>
            Posting {p.number}: {p.kind}
          </h1>
          <p className="text-quiet">
            happened {moment(p.happened_at)} · entered {moment(p.entered_at)} by {p.person || 'the system'}
            {p.order && (
              <>
                {' · order '}
                <Link className="quiet-link" to={`/orders/${p.order}`}>
                  {p.order}
                </Link>
              </>
            )}
            {p.reason && ` · ${p.reason}`}
            {p.reverses && ` · takes back ${p.reverses}`}
            {p.taken_back_by && ` · taken back by ${p.taken_back_by}`}
          </p>
        </div>
        {!p.taken_back_by && !p.reverses && (
          <Button onClick={() => start('take-back', { posting: p.number })}>Take back posting {p.number}…</Button>
        )}
      </header>
      {p.stock.length > 0 && (
        <table className="rows mb-3" aria-label="Stock lines">
          <thead>
            <tr>
              <th className="pl-4!">Moved</th>
              <th>from</th>
              <th>to</th>
              <th className="num">quantity</th>
              <th className="num">EUR</th>
            </tr>
          </thead>
          <tbody>
            {p.stock.map((s, n) => (
              <tr key={n}>
                <td className="pl-4!">
                  {s.name} <span className="code">{s.item}</span>
                  {s.lot && <span className="code ml-2 text-quiet">{s.lot}</span>}
                </td>
                <td>{s.from_place}</td>
                <td>{s.to_place}</td>
                <td className="num">
                  <Quantity value={s.quantity} unit={s.unit} />
                </td>
                <td className="num">
                  <Money value={s.value} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {p.units.length + p.times.length + p.handed_over.length > 0 && (
        <table className="rows mb-3" aria-label="Units and times">
          <thead>
            <tr>
              <th className="pl-4!">Done</th>
              <th className="num">quantity</th>
              <th className="num">EUR</th>
            </tr>
          </thead>
          <tbody>
            {p.units.map((u, n) => (
              <tr key={`u${n}`}>
                <td className="pl-4!">
                  op {u.operation} {u.kind === 'scrap' ? `scrap, ${u.reason}` : u.kind}
                </td>
                <td className="num">{quantity(u.quantity)}</td>
                <td />
              </tr>
            ))}
            {p.handed_over.map((h, n) => (
              <tr key={`h${n}`}>
                <td className="pl-4!">
                  op {h.operation} {h.name} <span className="code">{h.item}</span>
                  {h.lot && <span className="code ml-2 text-quiet">{h.lot}</span>}
                </td>
                <td className="num">
                  <Quantity value={h.quantity} unit={h.unit} />
                </td>
                <td className="num">
                  <Money value={h.amount} />
                </td>
              </tr>
            ))}
            {p.times.map((t, n) => (
              <tr key={`t${n}`}>
                <td className="pl-4!">
                  op {t.operation} {t.kind}
                </td>
                <td className="num">
                  <Quantity value={t.quantity} unit={t.kind === 'subcontract' ? 'pcs' : t.kind === 'times set up' ? '' : 'h'} />
                </td>
                <td className="num">
                  <Money value={t.amount} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {p.money.length > 0 && (
        <table className="rows" aria-label="Journal lines">
          <thead>
            <tr>
              <th className="pl-4!">Account</th>
              <th>operation, element</th>
              <th className="num">debit</th>
              <th className="num">credit</th>
            </tr>
          </thead>
          <tbody>
            {p.money.map((m, n) => {
              const isCredit = m.amount.startsWith('-');
              return (
                <tr key={n}>
                  <td className="pl-4!">
                    {m.account} {m.item && <span className="code text-quiet">{m.item}</span>}
                  </td>
                  <td className="text-quiet">{m.element && `${m.operation} ${m.element}`}</td>
                  <td className="num">{!isCredit && <Money value={m.amount} />}</td>
                  <td className="num">{isCredit && <Money value={m.amount.slice(1)} />}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
    </article>
  );
}
