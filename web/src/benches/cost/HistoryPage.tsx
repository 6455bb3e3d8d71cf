import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { historyOptions, type History, labourOptions, type Outcome } from './queries';
import { comparedPair, stackHistory } from './logic';
import { day } from '../../lib/date';
import { money, percent, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { VarianceText } from '../../ui/Numbers';
import { Empty, Loaded } from '../../ui/States';

const MOST = 60;

/** What the finished orders of an item came to, one after the other: a unit's cost by element, hours, yield, time. */
export function HistoryPage() {
  const { code = '' } = useParams();
  const history = useQuery(historyOptions(code, MOST));
  return <Loaded query={history}>{(h) => <Page history={h} />}</Loaded>;
}

function Page({ history: h }: { history: History }) {
  const [marked, setMarked] = useState<readonly number[]>([]);
  const navigate = useNavigate();
  const pair = comparedPair(marked);
  return (
    <article className="md:min-w-[640px]">
      <header className="flex flex-wrap items-start justify-between gap-3 px-4 pt-3 pb-2">
        <div>
          <h1>
            Finished orders of{' '}
            <Link className="quiet-link" to={`/define/items/${encodeURIComponent(h.item)}`}>
              {h.name} <span className="code text-[16px]">{h.item}</span>
            </Link>
          </h1>
          <p className="text-quiet">
            {h.whole > h.rows.length ? `The last ${h.rows.length} of ${h.whole.toLocaleString()}` : `${h.whole} in all`}; EUR and hours per {h.unit} received
          </p>
        </div>
        <span className="flex flex-wrap items-center gap-4">
          <Button disabled={!pair} onClick={() => pair && void navigate(`/orders/${pair[0]}/compare/${pair[1]}`)}>
            {pair ? `Compare ${pair[0]} with ${pair[1]}` : 'Mark two to compare them'}
          </Button>
          <Link className="quiet-link text-act" to={`/define/items/${encodeURIComponent(h.item)}/cost`}>
            Its cost
          </Link>
        </span>
      </header>
      {h.rows.length === 0 ? (
        <Empty>No order of it is finished yet. Its history begins with the first one that is completed.</Empty>
      ) : (
        <>
          <Chart rows={h.rows} />
          <Rows rows={h.rows} marked={marked} onMark={(n) => setMarked(marked.includes(n) ? marked.filter((m) => m !== n) : [...marked, n])} />
        </>
      )}
      <Labour code={h.item} />
    </article>
  );
}

/** People's hours by operation and person, with what an hour came to. */
function Labour({ code }: { code: string }) {
  const rows = useQuery(labourOptions(code)).data ?? [];
  if (rows.length === 0) return null;
  return (
    <table className="rows mt-4" aria-label="Who worked">
      <thead>
        <tr>
          <th className="pl-4!">Who worked, last twelve months</th>
          <th>operation</th>
          <th className="num">orders</th>
          <th className="num">hours</th>
          <th className="num">overtime</th>
          <th className="num">EUR</th>
          <th className="num pr-4!">EUR an hour</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((r) => (
          <tr key={`${r.operation} ${r.person}`}>
            <td className="pl-4!">{r.person || <span className="text-quiet">nobody named</span>}</td>
            <td className="whitespace-nowrap">
              {r.operation} {r.name} <span className="code text-quiet">{r.work_center}</span>
            </td>
            <td className="num">{r.orders}</td>
            <td className="num">{quantity(r.hours)}</td>
            <td className="num">{Number(r.overtime) > 0 && quantity(r.overtime)}</td>
            <td className="num">{money(r.amount)}</td>
            <td className="num pr-4!">{money(r.per_hour)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const WIDTH = 960;
const HEIGHT = 190;
const LEFT = 52;
const BOTTOM = 26;
/** how dark an element's part is drawn; the legend names them in the same order */
const SHADES = ['opacity-100', 'opacity-70', 'opacity-45', 'opacity-25', 'opacity-80', 'opacity-60', 'opacity-35', 'opacity-15'];

/** A unit's cost by element, the oldest order on the left, and the standard that counted as a line. */
function Chart({ rows }: { rows: readonly Outcome[] }) {
  const { bars, elements, most } = stackHistory(rows);
  const step = (WIDTH - LEFT - 16) / Math.max(bars.length, 8);
  const y = (share: number) => 10 + (1 - share) * (HEIGHT - BOTTOM - 16);
  const standard = bars.map((b, n) => `${n === 0 ? 'M' : 'L'}${LEFT + n * step} ${y(b.standard)} H${LEFT + (n + 1) * step}`).join(' ');
  const every = Math.ceil(bars.length / 20);
  return (
    <figure className="overflow-x-auto px-4">
      <svg role="img" aria-label={`Cost of a unit over ${bars.length} orders, up to ${most.toFixed(2)} EUR`} viewBox={`0 0 ${WIDTH} ${HEIGHT}`} className="block w-full max-w-[1100px] min-w-[640px] text-[11px]">
        <line x1={LEFT} x2={WIDTH - 16} y1={y(0)} y2={y(0)} className="stroke-hair-strong" />
        <text x={LEFT - 6} y={y(0) + 4} textAnchor="end" className="fill-quiet">
          0
        </text>
        <text x={LEFT - 6} y={y(1) + 4} textAnchor="end" className="fill-quiet">
          {most.toFixed(2)}
        </text>
        {bars.map((b, n) => (
          <g key={b.order}>
            <title>{`${b.order}: ${b.words}`}</title>
            {b.parts.map((p) => (
              <rect
                key={p.element}
                x={LEFT + n * step + step * 0.15}
                width={step * 0.7}
                y={y(p.to)}
                height={Math.max(0, y(p.from) - y(p.to))}
                className={`fill-act ${SHADES[elements.indexOf(p.element) % SHADES.length]}`}
              />
            ))}
            {n % every === 0 && (
              <text x={LEFT + (n + 0.5) * step} y={HEIGHT - 8} textAnchor="middle" className="fill-quiet">
                {b.order}
              </text>
            )}
          </g>
        ))}
        <path d={standard} fill="none" strokeWidth={2} className="stroke-ink" />
      </svg>
      <figcaption className="flex flex-wrap gap-x-4 pb-2 text-[12px] text-quiet">
        {elements.map((e, n) => (
          <span key={e} className="flex items-center gap-1.5">
            <span aria-hidden className={`inline-block h-3 w-3 bg-act ${SHADES[n % SHADES.length]}`} />
            {e}
          </span>
        ))}
        <span className="flex items-center gap-1.5">
          <span aria-hidden className="inline-block h-0.5 w-4 bg-ink" />
          standard frozen with the order
        </span>
      </figcaption>
    </figure>
  );
}

function Rows({ rows, marked, onMark }: { rows: readonly Outcome[]; marked: readonly number[]; onMark: (order: number) => void }) {
  return (
    <table className="rows" aria-label="Finished orders">
      <thead>
        <tr>
          <td className="w-9 pl-4!" />
          <th>Order</th>
          <th>finished</th>
          <th className="num">received</th>
          <th className="num">scrap</th>
          <th className="num">good</th>
          <th className="num">days</th>
          <th className="num">people h</th>
          <th className="num">machine h</th>
          <th className="num">EUR each</th>
          <th>basis</th>
          <th className="num">standard</th>
          <th className="num">variance</th>
          <th className="pr-4!">most of it</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((r) => (
          <tr key={r.order} className={marked.includes(r.order) ? 'bg-act-wash' : ''}>
            <td className="pl-4!">
              <input type="checkbox" aria-label={`Mark order ${r.order}`} checked={marked.includes(r.order)} onChange={() => onMark(r.order)} />
            </td>
            <td>
              <Link className="code quiet-link" to={`/orders/${r.order}/bridge`}>
                {r.order}
              </Link>
            </td>
            <td className="whitespace-nowrap">{day(r.finished)}</td>
            <td className="num">{quantity(r.quantity)}</td>
            <td className="num">{Number(r.scrap) > 0 && quantity(r.scrap)}</td>
            <td className="num">{r.good_share !== null && percent(r.good_share)}</td>
            <td className="num">{r.lead_days}</td>
            <td className="num">{r.labour_each !== null && quantity(r.labour_each)}</td>
            <td className="num">{r.machine_each !== null && quantity(r.machine_each)}</td>
            <td className="num font-semibold">{r.unit_cost !== null && money(r.unit_cost)}</td>
            <td className="text-quiet">{r.basis}</td>
            <td className="num text-quiet">
              {money(r.standard)}
            </td>
            <td className="num">
              <VarianceText value={r.variance} />
            </td>
            <td className="w-full max-w-0 truncate pr-4! text-quiet" title={r.causes.map((c) => `${c.kind} ${money(c.amount)}`).join(', ')}>
              {r.causes.slice(0, 2).map((c) => `${c.kind} ${money(c.amount)}`).join(' · ')}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
