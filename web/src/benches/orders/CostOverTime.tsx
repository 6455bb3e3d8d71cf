import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { day, moment } from '../../lib/date';
import { money } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { VarianceText } from '../../ui/Numbers';
import { layOutLife } from './logic';
import { correctionsOptions, followUpsOptions, type Life, lifeOptions } from './queries';

const WIDTH = 960;
const HEIGHT = 170;
const LEFT = 64;

/** Allowed against charged over an order's life: a step for each act, its postings on it. */
export function LifeChart({ number }: { number: number }) {
  const life = useQuery(lifeOptions(number)).data;
  if (!life || life.points.length < 2) return null;
  return <Chart life={life} />;
}

function Chart({ life }: { life: Life }) {
  const { points, most } = layOutLife(life.points);
  const x = (share: number) => LEFT + share * (WIDTH - LEFT - 16);
  const y = (share: number) => 12 + (1 - share) * (HEIGHT - 40);
  const line = (of: 'allowed' | 'charged') => points.map((p, n) => (n === 0 ? `M${x(p.at)} ${y(p[of])}` : `H${x(p.at)} V${y(p[of])}`)).join(' ');
  const [first, last] = [life.points[0], life.points.at(-1)];
  return (
    <figure className="overflow-x-auto px-4 pt-4">
      <figcaption className="flex flex-wrap gap-x-4 text-[12px] text-quiet">
        <span className="font-semibold text-ink">Over its life</span>
        <span className="flex items-center gap-1.5">
          <span aria-hidden className="inline-block h-0.5 w-4 bg-unfavourable" />
          charged
        </span>
        <span className="flex items-center gap-1.5">
          <span aria-hidden className="inline-block h-0.5 w-4 bg-ink" />
          allowed for what was done
        </span>
        {life.has_more && <span>the last {life.points.length} acts</span>}
      </figcaption>
      <svg role="img" aria-label={`Charged and allowed after ${points.length} acts, up to ${most.toFixed(2)} EUR`} viewBox={`0 0 ${WIDTH} ${HEIGHT}`} className="block w-full max-w-[1100px] min-w-[560px] text-[11px]">
        <line x1={LEFT} x2={WIDTH - 16} y1={y(0)} y2={y(0)} className="stroke-hair-strong" />
        <text x={LEFT - 6} y={y(0) + 4} textAnchor="end" className="fill-quiet">
          0
        </text>
        <text x={LEFT - 6} y={y(1) + 4} textAnchor="end" className="fill-quiet">
          {money(most.toFixed(2))}
        </text>
        <path d={line('allowed')} fill="none" strokeWidth={2} className="stroke-ink" />
        <path d={line('charged')} fill="none" strokeWidth={2} className="stroke-unfavourable" />
        {points.map((p) => (
          <circle key={p.posting} cx={x(p.at)} cy={y(p.charged)} r={3.5} className="fill-unfavourable">
            <title>{p.words}</title>
          </circle>
        ))}
        {first && (
          <text x={LEFT} y={HEIGHT - 8} className="fill-quiet">
            {moment(first.at)}
          </text>
        )}
        {last && (
          <text x={WIDTH - 16} y={HEIGHT - 8} textAnchor="end" className="fill-quiet">
            {moment(last.at)}
          </text>
        )}
      </svg>
    </figure>
  );
}

/** What the order's material turned out to cost, with what that came of. */
export function Corrections({ number }: { number: number }) {
  const rows = useQuery(correctionsOptions(number)).data ?? [];
  if (rows.length === 0) return null;
  return (
    <table className="rows mt-4" aria-label="Corrected by late cost">
      <thead>
        <tr>
          <th className="pl-4!">Corrected by late cost</th>
          <th>material</th>
          <th className="num">before</th>
          <th className="num">after</th>
          <th className="num pr-4!">EUR</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((r) => (
          <tr key={`${r.posting} ${r.operation} ${r.item}`}>
            <td className="w-full pl-4!">
              <Link className="quiet-link" to={`/cost/late/${r.posting}`}>
                {moment(r.at)}
              </Link>
              <span className="text-quiet"> {r.origins.join('; ')}</span>
            </td>
            <td className="whitespace-nowrap">
              <span className="code">{r.item}</span> <span className="text-quiet">op {r.operation}</span>
            </td>
            <td className="num">{money(r.before)}</td>
            <td className="num">{money(r.after)}</td>
            <td className="num pr-4!">{money(r.amount)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Who looks after the variance, and what was found when its causes were there before. */
export function FollowUps({ number }: { number: number }) {
  const { start } = useCommands();
  const may = useMay();
  const found = useQuery(followUpsOptions(number)).data;
  if (!found) return null;
  const rows = [...found.own.map((f) => ({ ...f, isOwn: true })), ...found.earlier.map((f) => ({ ...f, isOwn: false }))];
  return (
    <section aria-label="Followed up" className="px-4 pt-4">
      {rows.map((f) => (
        <p key={`${f.order} ${f.cause}`} className={f.is_done ? 'text-quiet' : ''}>
          {f.isOwn ? (
            <span className="first-letter:uppercase">{f.cause || 'all of it'}</span>
          ) : (
            <>
              <span className="text-attention">Again {f.cause || 'a variance'}</span>, as on{' '}
              <Link className="code quiet-link" to={`/orders/${f.order}/bridge`}>
                {f.order}
              </Link>
            </>
          )}{' '}
          <VarianceText value={f.amount} />: {f.note}
          {f.owner && <span className="text-quiet"> · {f.owner}</span>}
          {f.look_again_on && <span className="text-quiet"> · looks again {day(f.look_again_on)}</span>}
          {f.is_done && ' · settled'}
        </p>
      ))}
      {may.has('follow-up-variance') && (
        <Button look="link" onClick={() => start('follow-up-variance', { order: number })}>
          Note on this variance…
        </Button>
      )}
    </section>
  );
}
