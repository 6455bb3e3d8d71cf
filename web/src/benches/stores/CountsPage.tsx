import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { moment } from '../../lib/date';
import { isZero, percent, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Loaded } from '../../ui/States';
import { countOptions, countsOptions, type CountOut } from './queries';
import { ReleaseFrame } from '../../orders/ReleaseFrame';

/** Counts that go on, and the last that ended. */
export function CountsPage() {
  const { start } = useCommands();
  const may = useMay();
  const counts = useQuery(countsOptions());
  return (
    <ReleaseFrame
      title="Counts"
      words="A place or an item, counted blind; what differs by more than the tolerance is counted again before it is posted."
      acts={may.has('open-count') && <Button onClick={() => start('open-count')}>Open a count…</Button>}
    >
      <Loaded query={counts}>
        {(rows) => (
          <table className="rows" aria-label="Counts">
            <thead>
              <tr>
                <th className="pl-4!">Count</th>
                <th>of</th>
                <th>state</th>
                <th>opened</th>
                <th className="num pr-4!">lines counted</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((c) => (
                <tr key={c.number}>
                  <td className="pl-4!">
                    <Link className="code quiet-link" to={`/release/counts/${c.number}`}>
                      {c.number}
                    </Link>
                  </td>
                  <td className="w-full">{c.what}</td>
                  <td className="whitespace-nowrap">{c.state}</td>
                  <td className="whitespace-nowrap text-quiet">{moment(c.opened_at)}</td>
                  <td className="num pr-4!">
                    {c.counted} of {c.lines}
                  </td>
                </tr>
              ))}
              {rows.length === 0 && (
                <tr>
                  <td colSpan={5} className="pl-4! text-quiet">
                    Nothing was counted yet. Open a count of the first place.
                  </td>
                </tr>
              )}
            </tbody>
          </table>
        )}
      </Loaded>
    </ReleaseFrame>
  );
}

/** One count: what is to be counted, and what differs. */
export function CountPage() {
  const count = useQuery(countOptions(Number(useParams()['number'])));
  return <Loaded query={count}>{(c) => <Page count={c} />}</Loaded>;
}

function Page({ count: c }: { count: CountOut }) {
  const { start } = useCommands();
  const may = useMay();
  const isOpen = c.state === 'open';
  const left = c.lines.filter((n) => n.counted === null || n.again).length;
  const words = [
    c.state,
    c.is_blind ? 'blind' : 'not blind',
    `tolerance ${percent(c.tolerance)}`,
    left > 0 ? `${left} of ${c.lines.length} lines to count` : 'all counted',
  ];
  const act = (command: string, name: string, isMain: boolean) =>
    may.has(command) && (
      <Button look={isMain ? 'act' : 'plain'} onClick={() => start(command, { count: c.number })}>
        {name}
      </Button>
    );
  return (
    <ReleaseFrame
      title={
        <>
          Count <span className="code text-[17px]">{c.number}</span> of {c.what}
        </>
      }
      words={words.join(' · ')}
      acts={
        isOpen && (
          <>
            {act('enter-count', 'Enter what was counted', left > 0)}
            {act('post-count', 'Post', left === 0)}
            {act('drop-count', 'Drop', false)}
          </>
        )
      }
    >
      <div className="overflow-x-auto">
        <table className="rows" aria-label="Lines of the count">
          <thead>
            <tr>
              <th className="pl-4!">Place</th>
              <th>item</th>
              <th className="num">counted</th>
              <th className="num">books say</th>
              <th className="num pr-4!">difference</th>
            </tr>
          </thead>
          <tbody>
            {c.lines.map((n) => (
              <tr key={`${n.place} ${n.item} ${n.lot}`}>
                <td className="pl-4! whitespace-nowrap">{n.place_name}</td>
                <td className="w-full whitespace-nowrap">
                  {n.name} <span className="code">{n.item}</span> <span className="code text-quiet">{n.lot}</span>
                </td>
                <td className="num">
                  {n.counted === null ? <span className="text-quiet">to count</span> : <>{quantity(n.counted)}<span className="unit">{n.unit}</span></>}
                </td>
                <td className="num">{n.on_hand === null ? <span className="text-quiet">{n.again ? 'count again' : ''}</span> : quantity(n.on_hand)}</td>
                <td className={`num pr-4! ${n.difference && !isZero(n.difference) ? 'font-semibold text-attention' : ''}`}>
                  {n.difference === null ? '' : isZero(n.difference) ? 'none' : quantity(n.difference)}
                </td>
              </tr>
            ))}
            {c.lines.length === 0 && (
              <tr>
                <td colSpan={5} className="pl-4! text-quiet">
                  The books say that nothing is there. Enter what was found with its item.
                </td>
              </tr>
            )}
          </tbody>
        </table>
      </div>
    </ReleaseFrame>
  );
}
