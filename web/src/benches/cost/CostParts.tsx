import type { ItemCost } from './queries';
import { percent } from '../../lib/decimal';
import { ItemCode } from '../../ui/ItemCode';
import { Money, Quantity } from '../../ui/Numbers';
import { groupParts, partWords, rankMovers, rankParts } from './logic';

/** An item's cost over all levels: each part, by work center or supplier, or by what moves it. */
export function CostParts({ cost, view }: { cost: ItemCost; view: 'Where the money goes' | 'Work centers' | 'Suppliers' | 'What moves it' }) {
  if (view === 'What moves it') return <Movers cost={cost} />;
  if (view === 'Where the money goes') return <EachPart cost={cost} />;
  return <Groups cost={cost} by={view === 'Suppliers' ? 'supplier' : 'work center'} />;
}

/** A bar as long as a share of the largest; what lowers the cost has its own colour. */
function ShareBar({ share }: { share: number }) {
  return (
    <span aria-hidden className="block w-16">
      <span
        className={`block h-2 ${share < 0 ? 'bg-favourable' : 'bg-hair-strong'}`}
        style={{ width: `${Math.min(100, Math.abs(share) * 100)}%` }}
      />
    </span>
  );
}

function EachPart({ cost }: { cost: ItemCost }) {
  const total = cost.sets[0]?.total ?? '0';
  const ranked = rankParts(cost.parts, total);
  const most = Math.abs(ranked[0]?.share ?? 0);
  return (
    <table className="rows" aria-label="Where the money goes">
      <thead>
        <tr>
          <th colSpan={2} className="pl-4!">
            Where the money goes, all levels
          </th>
          <th className="num">in one</th>
          <th className="num">EUR</th>
          <td />
          <th className="num">share</th>
          <th className="num">up to here</th>
        </tr>
      </thead>
      <tbody>
        {ranked.map((p) => (
          <tr key={p.kind + p.code}>
            <td className="pl-4! text-[12px] whitespace-nowrap text-quiet">{partWords(p)}</td>
            <td className="w-full max-w-0" title={p.name}>
              <span className="flex gap-1.5">
                <span className="truncate">{p.name}</span>{' '}
                {p.kind === 'component' ? <ItemCode code={p.code} /> : <span className="code text-quiet">{p.code}</span>}
              </span>
            </td>
            <td className="num">
              <Quantity value={String(Math.round(Number(p.quantity) * 1e3) / 1e3)} unit={p.unit} />
            </td>
            <td className="num">
              <Money value={p.amount} />
            </td>
            <td>
              <ShareBar share={most > 0 ? p.share / most : 0} />
            </td>
            <td className="num">{(p.share * 100).toFixed(1).replace(/^-(?=0\.0$)/, '').replace('-', '−')} %</td>
            <td className="num text-quiet">{Math.round(p.upTo * 100)} %</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Groups({ cost, by }: { cost: ItemCost; by: 'work center' | 'supplier' }) {
  const groups = groupParts(cost.parts, cost.sets[0]?.total ?? '0', by);
  const most = Math.abs(groups[0]?.share ?? 0);
  return (
    <table className="rows" aria-label={`By ${by}`}>
      <thead>
        <tr>
          <th className="pl-4!">{by === 'supplier' ? 'Supplier, of bought items and outside work' : 'Work center, its people and machines'}</th>
          <th>for</th>
          <th className="num">EUR</th>
          <td />
          <th className="num">share</th>
        </tr>
      </thead>
      <tbody>
        {groups.map((g) => (
          <tr key={g.code}>
            <td className="pl-4! whitespace-nowrap">
              {g.name} <span className="code text-quiet">{g.code}</span>
            </td>
            <td className="w-full max-w-0 truncate text-quiet" title={g.of.join(', ')}>
              {g.of.join(', ')}
            </td>
            <td className="num">
              <Money value={String(g.amount)} />
            </td>
            <td>
              <ShareBar share={most > 0 ? g.share / most : 0} />
            </td>
            <td className="num text-quiet">{Math.round(g.share * 100)} %</td>
          </tr>
        ))}
        {groups.length === 0 && (
          <tr>
            <td colSpan={5} className="pl-4! text-quiet">
              {by === 'supplier' ? 'Nothing in it is bought.' : 'No work center works on it.'}
            </td>
          </tr>
        )}
      </tbody>
    </table>
  );
}

const SHOWN = 40;

function Movers({ cost }: { cost: ItemCost }) {
  const movers = rankMovers(cost);
  const most = Math.abs(movers[0]?.moved ?? 0);
  return (
    <table className="rows" aria-label="What moves it">
      <thead>
        <tr>
          <th colSpan={2} className="pl-4!">
            One percent more of
          </th>
          <th className="num">now</th>
          <th className="num">moves it by, EUR</th>
          <td />
        </tr>
      </thead>
      <tbody>
        {movers.slice(0, SHOWN).map((m) => (
          <tr key={m.what + m.code}>
            <td className="pl-4! text-[12px] whitespace-nowrap text-quiet">{m.what}</td>
            <td className="w-full max-w-0" title={m.name}>
              <span className="flex gap-1.5">
                <span className="truncate">{m.name}</span>{' '}
                <span className="code text-quiet">{m.code}</span>
              </span>
            </td>
            <td className="num">{m.value && (m.what === 'standard lot' ? <Quantity value={m.value} /> : percent(m.value))}</td>
            <td className="num">{(m.moved > 0 ? '+' : '') + m.moved.toFixed(3).replace('-', '−')}</td>
            <td>
              <ShareBar share={most > 0 ? m.moved / most : 0} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
