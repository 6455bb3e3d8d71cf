import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { basicsOptions, commandsOptions, peopleOptions } from '../../api/queries';
import { useCommands } from '../../commands/CommandContext';
import { Button } from '../../ui/Button';
import { Loaded } from '../../ui/States';

/** Places, reasons and persons: what every day needs and nobody looks at often. */
export function ShopPage() {
  const basics = useQuery(basicsOptions());
  const people = useQuery(peopleOptions());
  const { start } = useCommands();
  return (
    <article>
      <header className="px-4 pt-3 pb-2">
        <h1>Places, reasons, persons</h1>
        <p className="text-quiet">Where stock lies, why pieces are scrapped, who may do what.</p>
      </header>
      <div className="grid gap-x-6 gap-y-4 lg:grid-cols-2">
        <Loaded query={basics}>
          {(b) => (
            <>
              <List title="Places" command="define-place" words="Define a place…" heads={['Code', 'Name', 'kind']}>
                {b.places.map((p) => (
                  <tr key={p.code}>
                    <td className="code pl-4!">{p.code}</td>
                    <td className="w-full">{p.name}</td>
                    <td className="text-quiet">{p.kind}</td>
                  </tr>
                ))}
              </List>
              <List title="Scrap reasons" command="define-reason" words="Define a reason…" heads={['Code', 'Name']}>
                {b.reasons.map((r) => (
                  <tr key={r.code}>
                    <td className="code pl-4!">{r.code}</td>
                    <td className="w-full">{r.name}</td>
                  </tr>
                ))}
              </List>
            </>
          )}
        </Loaded>
        <Loaded query={people}>
          {(rows) => (
            <List title="Persons" command="add-person" words="Add a person…" heads={['Name', 'signs in as', 'roles', '']}>
              {rows.map((p) => (
                <tr key={p.name}>
                  <td className="pl-4! whitespace-nowrap">{p.full_name}</td>
                  <td className="code">{p.name}</td>
                  <td className="w-full text-quiet">{p.roles.join(', ')}</td>
                  <td className="num">
                    <ForWhoMay command="set-roles">
                      <Button look="link" onClick={() => start('set-roles', { name: p.name, roles: p.roles })}>
                        Roles of {p.name}…
                      </Button>
                    </ForWhoMay>
                  </td>
                </tr>
              ))}
            </List>
          )}
        </Loaded>
      </div>
    </article>
  );
}

function ForWhoMay({ command, children }: { command: string; children: ReactNode }) {
  const may = useQuery(commandsOptions()).data?.some((c) => c.name === command);
  return may ? <>{children}</> : null;
}

function List({
  title,
  command,
  words,
  heads,
  children,
}: {
  title: string;
  command: string;
  words: string;
  heads: string[];
  children: ReactNode[];
}) {
  const { start } = useCommands();
  return (
    <section aria-label={title}>
      <div className="flex items-center justify-between px-4 pb-1">
        <h2>{title}</h2>
        <ForWhoMay command={command}>
          <Button onClick={() => start(command)}>{words}</Button>
        </ForWhoMay>
      </div>
      <table className="rows" aria-label={title}>
        <thead>
          <tr>
            {heads.map((h, n) => (h ? <th key={h} className={n === 0 ? 'pl-4!' : ''}>{h}</th> : <td key="acts" />))}
          </tr>
        </thead>
        <tbody>
          {children}
          {children.length === 0 && (
            <tr>
              <td colSpan={heads.length} className="pl-4! text-quiet">
                none yet
              </td>
            </tr>
          )}
        </tbody>
      </table>
    </section>
  );
}
