import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { lacksOptions } from './queries';
import { useCommands } from '../../commands/CommandContext';
import { Button } from '../../ui/Button';
import { Loaded } from '../../ui/States';
import { useMay } from '../../commands/useMay';

/** What the master data lacks: what would stop the next order, each with the way to its place. */
export function LacksPage() {
  const lacks = useQuery(lacksOptions());
  return (
    <article>
      <header className="px-4 pt-3 pb-2">
        <h1>What would stop the next order</h1>
        <p className="text-quiet">Items without a structure, a price or a standard; work centers without a calendar.</p>
      </header>
      <Loaded query={lacks}>
        {({ rows, whole }) => (
          <table className="rows" aria-label="What would stop the next order">
            <thead>
              <tr>
                <th className="pl-4!">Thing</th>
                <th>What it lacks</th>
                <th className="pr-4!">{whole > rows.length ? `the first ${rows.length} of ${whole.toLocaleString()}` : `${whole} in all`}</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((r) => (
                <tr key={r.place + r.why}>
                  <td className="pl-4! whitespace-nowrap">{r.thing}</td>
                  <td className="w-full">{r.why}</td>
                  <td className="pr-4! whitespace-nowrap">
                    <WayThere place={r.place} words={r.fix} />
                  </td>
                </tr>
              ))}
              {rows.length === 0 && (
                <tr>
                  <td colSpan={3} className="pl-4! text-quiet">
                    Nothing: every item that is made has a structure in force and a standard.
                  </td>
                </tr>
              )}
            </tbody>
          </table>
        )}
      </Loaded>
    </article>
  );
}

function WayThere({ place, words }: { place: string; words: string }) {
  const { start } = useCommands();
  const may = useMay();
  const [kind = '', code = ''] = place.split(':');
  const item = `/define/items/${encodeURIComponent(code)}`;
  if (kind === 'standard') {
    return may.has('freeze-standard') ? (
      <Button look="link" onClick={() => start('freeze-standard')}>
        {words}
      </Button>
    ) : (
      <>{words}</>
    );
  }
  const to = kind === 'structure' ? `${item}/edit` : kind === 'work-center' ? '/define/work-centers' : item;
  return (
    <Link className="quiet-link text-act" to={to}>
      {words}
    </Link>
  );
}
