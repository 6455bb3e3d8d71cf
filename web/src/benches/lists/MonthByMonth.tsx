import { useQuery } from '@tanstack/react-query';
import { percent, quantity } from '../../lib/decimal';
import { indicatorsOptions } from './queries';

const share = (text: string | null) => (text === null ? '' : percent(text));

/** How the work center did, month by month: the ratios of ISO 22400-2, with what they are made of. */
export function MonthByMonth({ code }: { code: string }) {
  const rows = useQuery(indicatorsOptions(code)).data?.rows ?? [];
  if (rows.length === 0) return null;
  return (
    <table className="rows mt-6 print:hidden" aria-label="Month by month">
      <thead>
        <tr>
          <th className="pl-4!">Month by month (ISO 22400-2)</th>
          <th className="num" title="planned busy time by its calendar">
            there, h
          </th>
          <th className="num" title="actual production time as reported">
            made, h
          </th>
          <th className="num">set up, h</th>
          <th className="num">pieces</th>
          <th className="num">availability</th>
          <th className="num">effectiveness</th>
          <th className="num">quality</th>
          <th className="num">OEE index</th>
          <th className="num">setup ratio</th>
          <th className="num pr-4!">scrap ratio</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((r) => (
          <tr key={r.month}>
            <td className="w-full pl-4!">
              {r.name} {!r.of_machines && <span className="text-quiet">hours of people</span>}
            </td>
            <td className="num">{quantity(r.pbt)}</td>
            <td className="num">{quantity(r.apt)}</td>
            <td className="num">{quantity(r.aust)}</td>
            <td className="num" title={`${quantity(r.gq)} good, ${quantity(r.sq)} scrap, ${quantity(r.rq)} to be reworked`}>
              {quantity(r.pq)}
            </td>
            <td className="num">{share(r.availability)}</td>
            <td className="num" title={`${quantity(r.planned)} h allowed for what was made`}>
              {share(r.effectiveness)}
            </td>
            <td className="num">{share(r.quality_ratio)}</td>
            <td className="num font-semibold">{share(r.oee)}</td>
            <td className="num">{share(r.setup_ratio)}</td>
            <td className="num pr-4!">{share(r.scrap_ratio)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
