import { useQuery } from '@tanstack/react-query';
import { Link, useParams, useSearchParams } from 'react-router';
import { treeOptions } from '../../api/queries';
import { type CostIn, historyOptions, type ItemCost, itemCostOptions } from './queries';
import { day } from '../../lib/date';
import { money, quantity } from '../../lib/decimal';
import { StructureTree } from '../../structure/StructureTree';
import { Choices } from '../../ui/Choices';
import { Money, Quantity, UnitCost, VarianceText } from '../../ui/Numbers';
import { Loaded } from '../../ui/States';
import { CostParts } from './CostParts';
import { layOut, placeHistory } from './logic';

/** What an item costs: by element and level, out of what, in which sets, and how it got there. */
export function ItemCostPage() {
  const { code = '' } = useParams();
  const cost = useQuery(itemCostOptions(code));
  return <Loaded query={cost}>{(c) => <Page key={code} cost={c} />}</Loaded>;
}

const views = ['Where the money goes', 'Work centers', 'Suppliers', 'What moves it', 'Structure'] as const;

function Page({ cost }: { cost: ItemCost }) {
  const [query, setQuery] = useSearchParams();
  const view = views.find((v) => v === query.get('view')) ?? views[0];
  const path = `/define/items/${encodeURIComponent(cost.item)}`;
  return (
    <article className="md:min-w-[640px]">
      <header className="flex flex-wrap items-start justify-between gap-3 px-4 pt-3 pb-2">
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
        <span className="flex flex-wrap gap-4 whitespace-nowrap">
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
      <div className="px-4 py-2">
        <Choices label="What to look at" options={views} value={view} onChoose={(v) => setQuery({ view: v }, { replace: true })} />
      </div>
      {view === 'Structure' ? (
        <CostStructure code={cost.item} />
      ) : (
        <div className="grid gap-x-6 lg:grid-cols-[5fr_2fr]">
          <CostParts cost={cost} view={view} />
          <div>
            <History cost={cost} />
            <Actuals code={cost.item} />
          </div>
        </div>
      )}
    </article>
  );
}

/** The interleaved structure with what each row costs in one. */
function CostStructure({ code }: { code: string }) {
  const tree = useQuery(treeOptions(code));
  return (
    <div className="flex h-[70vh] flex-col border-t border-hair">
      <Loaded query={tree}>{(t) => <StructureTree tree={t} revision="" />}</Loaded>
    </div>
  );
}

const tones = ['bg-ink', 'bg-act', 'bg-hair-strong', 'bg-quiet', 'bg-attention', 'bg-favourable', 'bg-act/45', 'bg-unfavourable'];
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

/** What the last orders cost per unit, with the way to all of them. */
function Actuals({ code }: { code: string }) {
  const last = useQuery(historyOptions(code, 12));
  if (!last.data || last.data.rows.length === 0) return null;
  return (
    <table className="rows" aria-label="What the last orders cost">
      <caption className="text-left">
        <Link className="quiet-link text-act" to={`/define/items/${encodeURIComponent(code)}/history`}>
          Finished orders, one after the other
        </Link>
      </caption>
      <thead>
        <tr>
          <th>Order</th>
          <th className="num">received</th>
          <th className="num">cost per unit</th>
          <th className="num">its standard</th>
        </tr>
      </thead>
      <tbody>
        {last.data.rows.map((a) => (
          <tr key={a.order}>
            <td>
              <Link className="code quiet-link" to={`/orders/${a.order}/bridge`}>
                {a.order}
              </Link>
            </td>
            <td className="num">{quantity(a.quantity)}</td>
            <td className="num">
              {a.unit_cost !== null && <Money value={a.unit_cost} />}
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
