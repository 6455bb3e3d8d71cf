import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { shortDay } from '../../lib/date';
import { isZero, money, quantity, unitCost } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Entry } from '../../ui/Field';
import { Empty, Loaded } from '../../ui/States';
import { type Gathered, type GatheredItem, gatheredOptions } from './queries';

/** What the plan would buy, gathered by supplier, with what the next price of a list would save. */
export function PurchasesPage() {
  const [query, setQuery] = useSearchParams();
  const until = query.get('until') ?? '';
  const found = useQuery(gatheredOptions(until));
  return (
    <article className="pt-2 pb-4">
      <header className="flex flex-wrap items-baseline justify-between gap-x-4 px-4 pb-2">
        <h2>What to buy, by supplier</h2>
        <label className="flex items-center gap-2">
          to be ordered up to
          <Entry type="date" className="w-36!" aria-label="To be ordered up to" value={until} onChange={(e) => setQuery({ ...Object.fromEntries(query), until: e.target.value }, { replace: true })} />
        </label>
      </header>
      <Loaded query={found}>
        {(page) =>
          page.suppliers.length === 0 ? (
            <Empty>Nothing is proposed to be bought{until && ' up to that day'}.</Empty>
          ) : (
            <>
              {page.suppliers.map((g) => (
                <Group key={g.supplier} group={g} />
              ))}
              {page.whole > page.shown && <p className="px-4 py-2 text-quiet">The first {page.shown} of {page.whole} proposals; gather them up to a day.</p>}
            </>
          )
        }
      </Loaded>
    </article>
  );
}

function Group({ group: g }: { group: Gathered }) {
  const { start } = useCommands();
  const may = useMay();
  const proposals = g.items.flatMap((i) => i.proposals);
  return (
    <section aria-label={g.name || 'Nobody known'} className="pb-4">
      <div className="flex flex-wrap items-baseline justify-between gap-x-4 px-4 pb-1">
        <h3 className="font-semibold">
          {g.supplier ? (
            <Link className="quiet-link" to={`/buy/suppliers/${encodeURIComponent(g.supplier)}`}>
              {g.name}
            </Link>
          ) : (
            <span className="text-attention">Nobody is known to sell these; give them price lists</span>
          )}
        </h3>
        <span className="flex items-baseline gap-3">
          {!isZero(g.cost) && <span className="text-quiet">{money(g.cost)} EUR</span>}
          {g.supplier && may.has('accept-proposals') && (
            <Button onClick={() => start('accept-proposals', { proposals, together: true })}>
              Draft {g.items.length === 1 ? 'it' : `all ${g.items.length} items`}…
            </Button>
          )}
        </span>
      </div>
      <table className="rows" aria-label={`Bought of ${g.name || 'nobody known'}`}>
        <thead>
          <tr>
            <th className="pl-4!">Item</th>
            <th className="num">quantity</th>
            <th>order by</th>
            <th>there on</th>
            <th className="num">EUR each</th>
            <th className="num pr-4!">EUR</th>
          </tr>
        </thead>
        <tbody>
          {g.items.map((i) => (
            <ItemRow key={i.item} item={i} />
          ))}
        </tbody>
      </table>
    </section>
  );
}

function ItemRow({ item: i }: { item: GatheredItem }) {
  return (
    <tr>
      <td className="w-full pl-4!">
        {i.name}{' '}
        <Link className="code quiet-link" to={`/plan/items/${encodeURIComponent(i.item)}`}>
          {i.item}
        </Link>
        {i.sizes.map((s, n) => (
          <span key={`${s.item} ${n}`} className="block text-[12px] text-quiet">
            {quantity(s.pieces)} of {s.size} mm for {s.name} <span className="code">{s.item}</span>: {quantity(s.quantity)} {i.unit}
          </span>
        ))}
        {i.next && (
          <span className="block text-[12px] text-quiet">
            {unitCost(i.next.price)} EUR from {quantity(i.next.from_quantity)} on: {quantity(i.next.more)} {i.unit} more,{' '}
            {i.next.saves.startsWith('-') ? `${money(i.next.saves.slice(1))} EUR more in all` : <span className="text-act">{money(i.next.saves)} EUR less in all</span>}
          </span>
        )}
      </td>
      <td className="num whitespace-nowrap">
        {quantity(i.quantity)}
        <span className="unit">{i.unit}</span>
        {i.proposals.length > 1 && <span className="block text-[12px] text-quiet">in {i.proposals.length} parts</span>}
      </td>
      <td className="whitespace-nowrap">{shortDay(i.order_on)}</td>
      <td className="whitespace-nowrap">{shortDay(i.due)}</td>
      <td className="num">{i.price ? unitCost(i.price) : '–'}</td>
      <td className="num pr-4!">{i.cost ? money(i.cost) : '–'}</td>
    </tr>
  );
}
