import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { Order } from '../../api/queries';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { moment } from '../../lib/date';
import { isZero, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { tranchesOptions, type Tranche } from './queries';

/** How far the material of an order that runs has come: part by part released, picked, staged, issued. */
export function TrancheBlock({ order }: { order: Order }) {
  const { start } = useCommands();
  const may = useMay();
  const found = useQuery(tranchesOptions(order.number)).data;
  if (!found) return null;
  const isPicked = found.parts.some((p) => p.lines.some((n) => !isZero(n.picked)));
  return (
    <section aria-label="Material on its way">
      <div className="flex flex-wrap items-baseline gap-x-4 px-4 pt-2">
        <h2>{found.is_in_parts ? 'Released in parts' : 'Material on its way'}</h2>
        {may.has('make-pick-list') && (
          <Button look="link" onClick={() => start('make-pick-list', { order: order.number })}>
            Make a pick list…
          </Button>
        )}
        {found.is_in_parts && may.has('release-part') && (
          <Button look="link" onClick={() => start('release-part', { order: order.number })}>
            Release another part…
          </Button>
        )}
        {isPicked && may.has('issue-picked') && (
          <Button look="link" onClick={() => start('issue-picked', { order: order.number })}>
            Issue what was picked…
          </Button>
        )}
        {found.pick_lists.map((p) => (
          <Link key={p.number} className="quiet-link text-act" to={`/release/picks/${p.number}`}>
            Pick list {p.number}: {p.picked} of {p.lines}
          </Link>
        ))}
      </div>
      {(found.is_in_parts || isPicked) && (
        <table className="rows" aria-label="Released, picked, staged, issued">
          <thead>
            <tr>
              <th className="pl-4!">Part</th>
              <th className="num">released</th>
              <th className="num">picked</th>
              <th className="num">staged</th>
              <th className="num pr-4!">issued</th>
            </tr>
          </thead>
          {found.parts.map((p) => (
            <Part key={p.number ?? 'whole'} part={p} unit={order.unit} />
          ))}
        </table>
      )}
    </section>
  );
}

function Part({ part: p, unit }: { part: Tranche; unit: string }) {
  const words = p.number === null ? 'The whole order' : `Part ${p.number}: ${p.words || `${quantity(p.quantity)} ${unit}`}, operations ${p.first} to ${p.last}`;
  const amount = (text: string) => (isZero(text) ? '–' : quantity(text));
  return (
    <tbody>
      {p.number !== null && (
        <tr>
          <td colSpan={5} className="border-t border-t-hair-strong pl-4! font-semibold">
            {words} <span className="text-[12px] font-normal text-quiet">{p.released_at && moment(p.released_at)}</span>
          </td>
        </tr>
      )}
      {p.lines.map((n) => (
        <tr key={`${n.operation} ${n.item}`}>
          <td className="w-full pl-4! md:max-w-0">
            <span className="block truncate">
              <span className="text-quiet">{n.operation}</span> {n.name} <span className="code">{n.item}</span>
            </span>
          </td>
          <td className="num">
            {quantity(n.released)}
            <span className="unit inline-block w-6 text-left">{n.unit}</span>
          </td>
          <td className="num">{amount(n.picked)}</td>
          <td className="num">{amount(n.staged)}</td>
          <td className="num pr-4!">{amount(n.issued)}</td>
        </tr>
      ))}
    </tbody>
  );
}
