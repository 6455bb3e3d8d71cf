import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { day } from '../../lib/date';
import { isZero, plain, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Loaded } from '../../ui/States';
import { BuyFrame } from './BuyFrame';
import { OutTable } from './OutTable';
import { PurchaseTable } from './PurchaseTable';
import { LISTS, outOptions, purchasesOptions, wantedOptions, type Wanted } from './queries';

const words: Record<(typeof LISTS)[number], string> = {
  open: 'drafted or awaited',
  late: 'late',
  draft: 'drafts',
  received: 'received, not all invoiced',
  closed: 'closed',
  all: 'all',
};

/** What is missing and to be bought, and below it what is drafted and awaited. */
export function BuyPage() {
  const { start } = useCommands();
  const may = useMay();
  const wanted = useQuery(wantedOptions());
  return (
    <BuyFrame
      title="Buy"
      words="What orders lack beyond what is on order, the first wanted first; below it what suppliers are to bring."
      acts={may.has('draft-purchase') && <Button onClick={() => start('draft-purchase')}>Draft an order to a supplier…</Button>}
    >
      <Loaded query={wanted}>{(rows) => <Missing rows={rows} />}</Loaded>
      <Purchases />
      <OutAtSuppliers />
    </BuyFrame>
  );
}

function Missing({ rows }: { rows: Wanted[] }) {
  const { start } = useCommands();
  const may = useMay().has('buy-missing');
  const [marked, setMarked] = useState<ReadonlySet<string>>(new Set());
  const shown = rows.filter((r) => marked.has(r.item));
  const mark = (items: string[], isOn: boolean) => {
    const next = new Set(marked);
    for (const i of items) if (isOn) next.add(i); else next.delete(i);
    setMarked(next);
  };
  if (rows.length === 0) return <p className="px-4 pb-3 text-quiet">Nothing is missing that is not on order.</p>;
  const bought = rows.filter((r) => r.supplier !== '').map((r) => r.item);
  return (
    <section aria-label="Missing" className="pb-4">
      <div className="overflow-x-auto">
        <table className="rows" aria-label="What is missing">
          <thead>
            <tr>
              {may && (
                <td className="w-8 pl-4!">
                  <input type="checkbox" aria-label="All that have a supplier" checked={bought.length > 0 && bought.every((i) => marked.has(i))} onChange={(e) => mark(bought, e.target.checked)} />
                </td>
              )}
              <th className={may ? '' : 'pl-4!'}>Missing</th>
              <th className="num">lacks</th>
              <th className="num">on order</th>
              <th>first order due</th>
              <th className="num">orders</th>
              <th className="pr-4!">bought of</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((r) => (
              <tr key={r.item} className={marked.has(r.item) ? 'bg-act-wash' : ''}>
                {may && (
                  <td className="pl-4!">
                    <input type="checkbox" aria-label={`Buy ${r.item}`} disabled={r.supplier === ''} checked={marked.has(r.item)} onChange={(e) => mark([r.item], e.target.checked)} />
                  </td>
                )}
                <td className={`w-full ${may ? '' : 'pl-4!'}`}>
                  {r.name}{' '}
                  <Link className="code quiet-link" data-peek={r.item} to={`/release/stock/${encodeURIComponent(r.item)}`}>
                    {r.item}
                  </Link>
                </td>
                <td className="num">
                  {quantity(r.short)}
                  <span className="unit">{r.unit}</span>
                </td>
                <td className="num">{isZero(r.coming) ? '–' : quantity(r.coming)}</td>
                <td className="whitespace-nowrap">{r.first_due && day(r.first_due)}</td>
                <td className="num">{r.orders}</td>
                <td className="pr-4! whitespace-nowrap">
                  {r.supplier_name || <span className="text-attention">nobody known</span>}
                  {r.lead_time_days !== null && <span className="text-[12px] text-quiet"> {r.lead_time_days} working days</span>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {may && (
        <p className="flex items-center gap-4 px-4 pt-2">
          <Button look="act" disabled={shown.length === 0} onClick={() => start('buy-missing', { lines: shown.map((r) => ({ item: r.item, quantity: plain(r.short), supplier: r.supplier })) })}>
            {shown.length === 0 ? 'Buy…' : `Buy ${shown.length}…`}
          </Button>
          <span role="status" className="text-quiet">
            {shown.length === 0 ? 'Mark what to buy: each supplier gets one draft.' : `${shown.length} marked`}
          </span>
        </p>
      )}
    </section>
  );
}

function Purchases() {
  const [query, setQuery] = useSearchParams();
  const which = query.get('list') ?? 'open';
  const [skip, setSkip] = useState(0);
  const purchases = useQuery(purchasesOptions(which, skip));
  return (
    <section aria-label="Orders to suppliers">
      <header className="flex flex-wrap items-center gap-x-4 px-4 pb-1">
        <h2>Orders to suppliers</h2>
        <select
          aria-label="Which"
          className="entry w-52!"
          value={which}
          onChange={(e) => {
            setSkip(0);
            setQuery({ list: e.target.value }, { replace: true });
          }}
        >
          {LISTS.map((l) => (
            <option key={l} value={l}>
              {words[l]}
            </option>
          ))}
        </select>
      </header>
      <Loaded query={purchases}>
        {({ rows, total }) => (
          <>
            <PurchaseTable rows={rows} />
            {total > rows.length && (
              <p className="flex items-center gap-3 px-4 py-1 text-quiet">
                {skip + 1}–{skip + rows.length} of {total.toLocaleString()}
                <Button look="link" disabled={skip === 0} onClick={() => setSkip(Math.max(0, skip - 50))}>
                  before
                </Button>
                <Button look="link" disabled={skip + rows.length >= total} onClick={() => setSkip(skip + 50)}>
                  after
                </Button>
              </p>
            )}
          </>
        )}
      </Loaded>
    </section>
  );
}

/** Half-made units that lie at suppliers. */
function OutAtSuppliers() {
  const out = useQuery(outOptions());
  if (!out.data?.length) return null;
  return (
    <section aria-label="Out at suppliers" className="pt-4 pb-4">
      <h2 className="px-4 pb-1">Out at suppliers</h2>
      <OutTable rows={out.data} />
    </section>
  );
}
