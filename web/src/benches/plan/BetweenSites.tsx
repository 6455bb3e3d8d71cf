import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { shortDay } from '../../lib/date';
import { plain, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { type PlannedTransfer, plannedTransfersOptions } from './queries';

/** What lies at one site and is wanted at another; nothing where no plan found any. */
export function BetweenSites() {
  const transfers = useQuery(plannedTransfersOptions()).data;
  if (!transfers || transfers.rows.length === 0) return null;
  return (
    <section aria-label="Between sites" className="pt-4">
      <h2 className="px-4">What lies at one site and is wanted at another</h2>
      <table className="rows" aria-label="To send">
        <thead>
          <tr>
            <th className="pl-4!">Item</th>
            <th className="num">quantity</th>
            <th>from</th>
            <th>to</th>
            <th>send on</th>
            <th>wanted on</th>
            <td className="pr-4!" />
          </tr>
        </thead>
        <tbody>
          {transfers.rows.map((t) => (
            <Row key={`${t.item} ${t.from_site} ${t.to_site} ${t.send_on} ${t.due}`} transfer={t} />
          ))}
        </tbody>
      </table>
      {transfers.whole > transfers.rows.length && (
        <p className="px-4 py-1 text-quiet">
          The first {transfers.rows.length} of {transfers.whole}
        </p>
      )}
    </section>
  );
}

function Row({ transfer: t }: { transfer: PlannedTransfer }) {
  const { start } = useCommands();
  const may = useMay();
  const lines = [{ item: t.item, quantity: plain(t.quantity) }];
  return (
    <tr>
      <td className="w-1/3 pl-4!">
        <Link className="quiet-link" to={`/plan/items/${encodeURIComponent(t.item)}`}>
          {t.name} <span className="code text-quiet">{t.item}</span>
        </Link>
      </td>
      <td className="num whitespace-nowrap">
        {quantity(t.quantity)}
        <span className="unit">{t.unit}</span>
      </td>
      <td>{t.from_site}</td>
      <td>{t.to_site}</td>
      <td className="whitespace-nowrap">{shortDay(t.send_on)}</td>
      <td className="whitespace-nowrap">
        {shortDay(t.due)}
        {t.late > 0 && <span className="block text-[12px] text-attention">{t.late} d too late</span>}
      </td>
      <td className="pr-4! text-right">
        {may.has('send-transfer') && (
          <Button look="link" aria-label={`Send ${t.item} to ${t.to_site}`} onClick={() => start('send-transfer', { from_place: t.from_place, to_place: t.to_place, expected_on: t.there_on, lines })}>
            Send…
          </Button>
        )}
      </td>
    </tr>
  );
}
