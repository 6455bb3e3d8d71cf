import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { day, moment } from '../../lib/date';
import { quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Loaded } from '../../ui/States';
import { lotOptions } from './queries';
import { ReleaseFrame } from '../../orders/ReleaseFrame';

/** A lot or serial: where it lies, how it came there, what was put right of it. */
export function LotPage() {
  const { code = '', lot = '' } = useParams();
  const { start } = useCommands();
  const may = useMay();
  const found = useQuery(lotOptions(code, lot));
  return (
    <Loaded query={found}>
      {(l) => (
        <ReleaseFrame
          title={
            <>
              <span className="code text-[17px]">{l.lot}</span> {l.name}{' '}
              <Link className="code quiet-link text-[15px] font-normal" to={`/release/stock/${encodeURIComponent(l.item)}`}>
                {l.item}
              </Link>
            </>
          }
          words={[
            l.kind,
            l.state,
            l.supplier_code && `supplier's ${l.supplier_code}`,
            l.made_on && `since ${day(l.made_on)}`,
            l.expires_on ? `last day ${day(l.expires_on)}` : 'does not expire',
          ]
            .filter(Boolean)
            .join(' · ')}
          acts={
            <>
              {may.has('judge-lot') && (
                <Button
                  onClick={() => start('judge-lot', { item: l.item, lot: l.lot, state: l.state === 'usable' ? 'quarantined' : 'usable' })}
                >
                  {l.state === 'usable' ? 'Quarantine…' : 'Let it be used…'}
                </Button>
              )}
              <Button onClick={() => start('print-labels', { labels: [{ kind: l.kind, code: l.lot, of: l.item }] })}>Label…</Button>
              {may.has('correct-lot') && <Button onClick={() => start('correct-lot', { item: l.item, lot: l.lot })}>Correct…</Button>}
              {may.has('join-lots') && l.kind === 'lot' && l.pieces[0] && (
                <Button look="link" onClick={() => start('join-lots', { item: l.item, lot: l.lot, place: l.pieces[0]?.place })}>
                  Join to another…
                </Button>
              )}
            </>
          }
        >
          <div className="overflow-x-auto">
            <table className="rows" aria-label="Where it lies">
              <thead>
                <tr>
                  <th className="pl-4!">Lies at</th>
                  <th className="num">on hand</th>
                  <td className="w-full" />
                </tr>
              </thead>
              <tbody>
                {l.pieces.map((p) => (
                  <tr key={p.place}>
                    <td className="pl-4! whitespace-nowrap">{p.place_name}</td>
                    <td className="num">
                      {quantity(p.on_hand)}
                      <span className="unit">{l.unit}</span>
                    </td>
                    <td />
                  </tr>
                ))}
                {l.pieces.length === 0 && (
                  <tr>
                    <td colSpan={3} className="pl-4! text-quiet">
                      nowhere: all of it was used, or left
                    </td>
                  </tr>
                )}
              </tbody>
            </table>
            <table className="rows mt-3" aria-label="How it moved">
              <thead>
                <tr>
                  <th className="pl-4!">Moved</th>
                  <th>what</th>
                  <th>from</th>
                  <th>to</th>
                  <th className="num pr-4!">quantity</th>
                </tr>
              </thead>
              <tbody>
                {l.moves.map((m, n) => (
                  <tr key={`${m.posting} ${n}`}>
                    <td className="pl-4! whitespace-nowrap">{moment(m.happened_at)}</td>
                    <td className="whitespace-nowrap">
                      <Link className="quiet-link" to={`/postings/${m.posting}`}>
                        {m.kind}
                      </Link>
                      {m.order && (
                        <>
                          {' '}
                          of{' '}
                          <Link className="code quiet-link" to={`/orders/${m.order}`}>
                            {m.order}
                          </Link>
                        </>
                      )}
                    </td>
                    <td className="whitespace-nowrap">{m.from_place}</td>
                    <td className="w-full">{m.to_place}</td>
                    <td className="num pr-4!">
                      {quantity(m.quantity)}
                      <span className="unit">{l.unit}</span>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
            {l.whole > l.moves.length && (
              <p className="px-4 text-quiet">
                the last {l.moves.length} of {l.whole.toLocaleString()}
              </p>
            )}
            {l.changes.length > 0 && (
              <table className="rows mt-3" aria-label="What was put right">
                <thead>
                  <tr>
                    <th className="pl-4!">Put right</th>
                    <th>what</th>
                    <th>was</th>
                    <th>is</th>
                    <th className="pr-4!">why</th>
                  </tr>
                </thead>
                <tbody>
                  {l.changes.map((c, n) => (
                    <tr key={`${c.at} ${n}`}>
                      <td className="pl-4! whitespace-nowrap">
                        {moment(c.at)} <span className="text-quiet">{c.person}</span>
                      </td>
                      <td>{c.field}</td>
                      <td className="whitespace-nowrap">{c.before || '–'}</td>
                      <td className="whitespace-nowrap">{c.after || '–'}</td>
                      <td className="w-full pr-4!">{c.why}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )}
          </div>
        </ReleaseFrame>
      )}
    </Loaded>
  );
}
