import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { day, moment } from '../../lib/date';
import { isZero, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Loaded } from '../../ui/States';
import { transfersOptions, type Transfer } from './queries';
import { ReleaseFrame } from '../../orders/ReleaseFrame';

/** What is on the way between sites, and what came of the last transfers. */
export function TransfersPage() {
  const { start } = useCommands();
  const may = useMay();
  const transfers = useQuery(transfersOptions());
  return (
    <ReleaseFrame
      title="Transfers"
      words="Between sites: what is on the way is ours, and free for nobody until it arrives."
      acts={may.has('send-transfer') && <Button onClick={() => start('send-transfer')}>Send a transfer…</Button>}
    >
      <Loaded query={transfers}>
        {(rows) => (
          <div className="overflow-x-auto">
            <table className="rows" aria-label="Transfers">
              <thead>
                <tr>
                  <th className="pl-4!">Transfer</th>
                  <th className="num">sent</th>
                  <th className="num">arrived</th>
                  <th className="num">missing</th>
                  <th className="num">on the way</th>
                  <td className="pr-4!" />
                </tr>
              </thead>
              {rows.map((t) => (
                <Rows key={t.number} transfer={t} onReceive={may.has('receive-transfer') ? () => start('receive-transfer', { transfer: t.number }) : undefined} />
              ))}
              {rows.length === 0 && (
                <tbody>
                  <tr>
                    <td colSpan={6} className="pl-4! text-quiet">
                      Nothing was ever sent. Places of another site are defined with the others.
                    </td>
                  </tr>
                </tbody>
              )}
            </table>
          </div>
        )}
      </Loaded>
    </ReleaseFrame>
  );
}

function Rows({ transfer: t, onReceive }: { transfer: Transfer; onReceive: (() => void) | undefined }) {
  return (
    <tbody>
      <tr className="[&>td]:border-b-transparent">
        <td className="pl-4! font-semibold whitespace-nowrap" colSpan={5}>
          {t.number} {t.from_name} to {t.to_name}{' '}
          <span className="font-normal text-quiet">
            sent {moment(t.sent_at)}
            {t.expected_on && `, there on ${day(t.expected_on)}`}
            {t.note && ` · ${t.note}`}
            {!t.is_on_the_way && ' · arrived'}
          </span>
        </td>
        <td className="num pr-4!">
          {t.is_on_the_way && onReceive && (
            <Button look="link" onClick={onReceive}>
              Receive…
            </Button>
          )}
        </td>
      </tr>
      {t.lines.map((n) => (
        <tr key={`${n.item} ${n.lot}`}>
          <td className="w-full pl-8! whitespace-nowrap">
            {n.name}{' '}
            <Link className="code quiet-link" data-peek={n.item} to={`/release/stock/${encodeURIComponent(n.item)}`}>
              {n.item}
            </Link>{' '}
            <span className="code text-quiet">{n.lot}</span>
          </td>
          <td className="num">
            {quantity(n.quantity)}
            <span className="unit">{n.unit}</span>
          </td>
          <td className="num">{isZero(n.arrived) ? '–' : quantity(n.arrived)}</td>
          <td className={`num ${isZero(n.missing) ? '' : 'text-attention'}`}>{isZero(n.missing) ? '–' : quantity(n.missing)}</td>
          <td className="num">{isZero(n.left) ? '–' : quantity(n.left)}</td>
          <td className="pr-4!" />
        </tr>
      ))}
    </tbody>
  );
}
