import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { actualsOptions, type CostIn, type ItemCost, itemCostOptions } from '../../api/queries';
import { day } from '../../lib/date';
import { isZero, money, quantity } from '../../lib/decimal';
import { ItemCode } from '../../ui/ItemCode';
import { Money, Quantity, UnitCost, VarianceText } from '../../ui/Numbers';
import { Loaded } from '../../ui/States';
import { layOut, partWords, placeHistory, rankParts } from './logic';

/** What an item costs: by element and level, out of what, in which sets, and how it got there. */
export function ItemCostPage() {
  const { code = '' } = useParams();
  const cost = useQuery(itemCostOptions(code));
  return <Loaded query={cost}>{(c) => <Page key={code} cost={c} />}</Loaded>;
}

function Page({ cost }: { cost: ItemCost }) {
  const path = `/define/items/${encodeURIComponent(cost.item)}`;
  return (
    <article className="min-w-[640px]">
      <header className="flex items-start justify-between gap-3 px-4 pt-3 pb-2">
        <div>
          <h1>
            Cost of{' '}
            <Link className="quiet-link" to={path}>
              {cost.name} <span className="code text-[16px]">{cost.item}</span>
            </Link>
          </h1>
          <p className="text-quiet">
            EUR per {cost.unit}, standard lot <Quantity value={cost.standard_lot} />
          </p>
        </div>
        <span className="flex gap-4 whitespace-nowrap">
          <span className="text-quiet">Cost sheet as</span>
          {['pdf', 'csv', 'xlsx'].map((kind) => (
            <a key={kind} className="quiet-link text-act" download href={`/api/items/${encodeURIComponent(cost.item)}/cost-sheet/${kind}`}>
              {kind.toUpperCase()}
            </a>
          ))}
          <Link className="quiet-link text-act" to="/cost/standards">
            Standards
          </Link>
        </span>
      </header>
      <Layers sets={cost.sets} />
      <div className="grid gap-x-6 pt-3 lg:grid-cols-[5fr_2fr]">
        <Parts cost={cost} />
        <div>
          <History cost={cost} />
          <Actuals code={cost.item} />
        </div>
      </div>
    </article>
  );
}

const tones = ['bg-ink', 'bg-act', 'bg-hair-strong', 'bg-quiet', 'bg-attention', 'bg-favourable', 'bg-act-wash', 'bg-unfavourable'];
const toneOf = (elements: string[], element: string) => tones[elements.indexOf(element) % tones.length];

/** A layered bar for each set, with the table behind it. */
function Layers({ sets }: { sets: CostIn[] }) {
  const elements = [...new Set(sets.flatMap((s) => s.layers.map((l) => l.element)))];
  const most = Math.max(...sets.map((s) => layOut(s.layers).reduce((sum, x) => sum + x.amount, 0)), 1);
  return (
    <table className="rows" aria-label="By element and level">
      <thead>
        <tr>
          <th className="pl-4!">Set</th>
          <th className="w-[30%]">lower levels, then this level</th>
          {elements.map((e) => (
            <th key={e} className="num max-w-20 leading-tight whitespace-normal!">
              <span aria-hidden className={`mr-1 inline-block size-2 ${toneOf(elements, e)}`} />
              {e}
            </th>
          ))}
          <th className="num pr-4!">all</th>
        </tr>
      </thead>
      <tbody>
        {sets.map((s) => (
          <tr key={s.number}>
            <td className="pl-4! whitespace-nowrap font-semibold">{s.state === 'what-if' ? s.name : s.state}</td>
            <td>
              <span aria-hidden className="flex h-3">
                {layOut(s.layers).map((x) => (
                  <span
                    key={x.level + x.element}
                    title={`${x.element}, ${x.level}: ${money(String(x.amount))}`}
                    className={`h-3 border-r border-ground ${toneOf(elements, x.element)} ${x.level === 'lower levels' ? 'opacity-50' : ''}`}
                    style={{ width: `${(x.amount / most) * 100}%` }}
                  />
                ))}
              </span>
            </td>
            {elements.map((e) => {
              const layer = s.layers.find((l) => l.element === e);
              const sum = Number(layer?.this_level ?? 0) + Number(layer?.lower_levels ?? 0);
              return (
                <td key={e} className="num" title={layer && `this level ${money(layer.this_level)}, lower levels ${money(layer.lower_levels)}`}>
                  {sum !== 0 && money(String(sum))}
                </td>
              );
            })}
            <td className="num pr-4! font-semibold" title={s.total}>
              <Money value={s.total} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Where the money goes, the largest first, over all levels. */
function Parts({ cost }: { cost: ItemCost }) {
  const total = cost.sets[0]?.total ?? '0';
  const ranked = rankParts(cost.parts, total);
  return (
    <table className="rows" aria-label="Where the money goes">
      <thead>
        <tr>
          <th colSpan={2} className="pl-4!">
            Where the money goes, all levels
          </th>
          <th className="num">in one</th>
          <th className="num">EUR</th>
          <th className="w-24">share</th>
          <th className="num">up to here</th>
          <th className="num">1 % of it moves</th>
        </tr>
      </thead>
      <tbody>
        {ranked.map((p) => (
          <tr key={p.kind + p.code}>
            <td className="pl-4! text-[12px] whitespace-nowrap text-quiet">{partWords(p)}</td>
            <td className="w-full max-w-0 truncate" title={p.name}>
              {p.name} {p.kind === 'component' ? <ItemCode code={p.code} /> : <span className="code text-quiet">{p.code}</span>}
            </td>
            <td className="num">
              <Quantity value={String(Math.round(Number(p.quantity) * 1e3) / 1e3)} unit={p.unit} />
            </td>
            <td className="num">
              <Money value={p.amount} />
            </td>
            <td>
              <span
                aria-hidden
                className={`block h-2 ${p.share < 0 ? 'bg-favourable' : 'bg-hair-strong'}`}
                style={{ width: `${Math.min(100, Math.abs(p.share) * 100)}%` }}
              />
            </td>
            <td className="num text-quiet">{Math.round(p.upTo * 100)} %</td>
            <td className="num text-quiet">{isZero(p.amount) ? '' : (Number(p.amount) / 100).toFixed(3).replace('-', '−')}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const WIDTH = 320;
const HEIGHT = 72;

/** The standards as they came into force, and why each moved. */
function History({ cost }: { cost: ItemCost }) {
  const points = placeHistory(cost.history.map((h) => Number(h.total)), WIDTH, HEIGHT);
  return (
    <section aria-label="History of the standard">
      {points.length > 1 && (
        <svg viewBox={`-6 -6 ${WIDTH + 12} ${HEIGHT + 12}`} className="block h-24 w-full" aria-hidden>
          <polyline points={points.map((p) => `${p.x},${p.y}`).join(' ')} fill="none" stroke="currentColor" strokeWidth="1.5" />
          {points.map((p) => (
            <circle key={p.x} cx={p.x} cy={p.y} r="3" className="fill-act" />
          ))}
        </svg>
      )}
      <table className="rows" aria-label="Standards as they came into force">
        <thead>
          <tr>
            <th>In force from</th>
            <th>moved by</th>
            <th className="num">EUR</th>
          </tr>
        </thead>
        <tbody>
          {cost.history.toReversed().map((h) => (
            <tr key={h.number}>
              <td className="whitespace-nowrap">{day(h.day.slice(0, 10))}</td>
              <td className="w-full text-quiet">
                {h.causes.map((c) => (
                  <span key={c.cause} className="mr-3 whitespace-nowrap">
                    {c.cause} <VarianceText value={c.amount} />
                  </span>
                ))}
              </td>
              <td className="num">
                <UnitCost value={h.total} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** What the last orders cost per unit. */
function Actuals({ code }: { code: string }) {
  const actuals = useQuery(actualsOptions(code));
  if (!actuals.data || actuals.data.length === 0) return null;
  return (
    <table className="rows" aria-label="What the last orders cost">
      <thead>
        <tr>
          <th>Order</th>
          <th className="num">received</th>
          <th className="num">cost per unit</th>
          <th className="num">its standard</th>
        </tr>
      </thead>
      <tbody>
        {actuals.data.map((a) => (
          <tr key={a.order}>
            <td>
              <Link className="code quiet-link" to={`/orders/${a.order}/bridge`}>
                {a.order}
              </Link>
            </td>
            <td className="num">{quantity(a.quantity)}</td>
            <td className="num">
              <Money value={a.unit_cost} />
            </td>
            <td className="num text-quiet">
              <Money value={a.standard} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
