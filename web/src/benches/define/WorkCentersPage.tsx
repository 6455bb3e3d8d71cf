import { useQuery } from '@tanstack/react-query';
import { commandsOptions, workCentersOptions } from '../../api/queries';
import { useCommands } from '../../commands/CommandContext';
import { Button } from '../../ui/Button';
import { Money } from '../../ui/Numbers';
import { Loaded } from '../../ui/States';

/** Work centers with what an hour there costs. */
export function WorkCentersPage() {
  const { start } = useCommands();
  const may = new Set(useQuery(commandsOptions()).data?.map((c) => c.name));
  const centers = useQuery(workCentersOptions());
  return (
    <article>
      <header className="flex items-start justify-between px-4 pt-3 pb-2">
        <div>
          <h1>Work centers</h1>
          <p className="text-quiet">Where operations run, and what an hour costs. Frozen standards keep the rates they were frozen with.</p>
        </div>
        {may.has('define-work-center') && (
          <Button onClick={() => start('define-work-center')}>Define a work center…</Button>
        )}
      </header>
      <Loaded query={centers}>
        {(rows) => (
          <table className="rows" aria-label="Work centers">
            <thead>
              <tr>
                <th className="pl-4!">Code</th>
                <th>Name</th>
                <th className="num">machine, EUR/h</th>
                <th className="num">labour, EUR/h</th>
                <td />
              </tr>
            </thead>
            <tbody>
              {rows.map((w) => (
                <tr key={w.code}>
                  <td className="code pl-4!">{w.code}</td>
                  <td className="w-full">{w.name}</td>
                  <td className="num">
                    <Money value={w.machine_rate} />
                  </td>
                  <td className="num">
                    <Money value={w.labour_rate} />
                  </td>
                  <td className="num pr-4!">
                    {may.has('change-work-center') && (
                      <Button look="link" onClick={() => start('change-work-center', { code: w.code })}>
                        Change {w.code}…
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
              {rows.length === 0 && (
                <tr>
                  <td colSpan={5} className="pl-4! text-quiet">
                    No work center yet. Define the first one: a name and what an hour of machine and labour costs.
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
