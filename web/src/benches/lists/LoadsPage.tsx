import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { ReleaseFrame } from '../../orders/ReleaseFrame';
import { Loaded } from '../../ui/States';
import { WeekBars } from './LoadBars';
import { hours, share } from './logic';
import { loadsOptions, type Load } from './queries';

/** All work centers: what each is loaded with against what it can do, and the way to its list. */
export function LoadsPage() {
  const loads = useQuery(loadsOptions());
  return (
    <ReleaseFrame
      title="Lists and load"
      words="Week by week against capacity, the line over each bar; what is planned is lighter. Open a work center for what comes next there."
    >
        <Loaded query={loads}>
          {(all) => (
            <div className="overflow-x-auto">
              <table className="rows" aria-label="Load of work centers">
                <thead>
                  <tr>
                    <th className="pl-4!">Work center</th>
                    <th className="num">this week</th>
                    <th className="num">h a week</th>
                    <th className="w-2/5 min-w-52">{all[0] && `${all[0].weeks[0]?.week} to ${all[0].weeks.at(-1)?.week}`}</th>
                    <th className="pr-4!">overloaded</th>
                  </tr>
                </thead>
                <tbody>
                  {all.map((l) => (
                    <Row key={l.code} load={l} />
                  ))}
                  {all.length === 0 && (
                    <tr>
                      <td colSpan={5} className="pl-4! text-quiet">
                        No work center yet. Define the first one.
                      </td>
                    </tr>
                  )}
                </tbody>
              </table>
            </div>
          )}
        </Loaded>
    </ReleaseFrame>
  );
}

function Row({ load: l }: { load: Load }) {
  const now = l.weeks[0];
  const over = l.weeks.filter((w) => w.is_over);
  return (
    <tr>
      <td className="pl-4! whitespace-nowrap">
        <Link className="quiet-link" to={`/release/lists/${encodeURIComponent(l.code)}`}>
          {l.name}
        </Link>{' '}
        <span className="code text-quiet">{l.code}</span>
      </td>
      <td className={`num ${now?.is_over ? 'text-attention' : ''}`}>{now && share(Number(now.released) + Number(now.planned), now.capacity)}</td>
      <td className="num">{now && hours(l.weeks.at(-1)?.capacity ?? now.capacity)}</td>
      <td className="py-1!">
        <WeekBars load={l} height={16} names={false} />
      </td>
      <td className="pr-4! whitespace-nowrap text-attention">{over.map((w) => w.week.slice(5)).join(', ')}</td>
    </tr>
  );
}
