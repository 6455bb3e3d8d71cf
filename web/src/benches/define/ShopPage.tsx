import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { basicsOptions, commandsOptions, partnersOptions, peopleOptions } from '../../api/queries';
import { useCommands } from '../../commands/CommandContext';
import { Button } from '../../ui/Button';
import { Loaded } from '../../ui/States';

/** Partners, places, reasons and persons: what every day needs and nobody looks at often. */
export function ShopPage() {
  const basics = useQuery(basicsOptions());
  const partners = useQuery(partnersOptions());
  const people = useQuery(peopleOptions());
  const { start } = useCommands();
  return (
    <article>
      <header className="px-4 pt-3 pb-2">
        <h1>Partners, places, reasons, persons</h1>
        <p className="text-quiet">Who supplies us and buys from us, where stock lies, why things happen, who may do what.</p>
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
              <List title="Reasons" command="define-reason" words="Define a reason…" heads={['Code', 'Name', 'given for']}>
                {b.reasons.map((r) => (
                  <tr key={r.code}>
                    <td className="code pl-4!">{r.code}</td>
                    <td className="w-full">{r.name}</td>
                    <td className="whitespace-nowrap text-quiet">
                      {r.use}
                      {r.use === 'scrap' && (r.is_written_off ? ', written off' : ', stays in the order')}
                    </td>
                  </tr>
                ))}
              </List>
            </>
          )}
        </Loaded>
        <Loaded query={partners}>
          {(rows) => (
            <List title="Partners" command="define-partner" words="Define a partner…" heads={['Code', 'Name', 'supplies', '']}>
              {rows.map((p) => (
                <tr key={p.code}>
                  <td className="code pl-4!">{p.code}</td>
                  <td className="w-full">
                    {p.name} {p.is_customer && <span className="text-[12px] text-quiet">customer</span>}
                  </td>
                  <td className="max-w-56 truncate text-quiet" title={p.items.join(', ')}>
                    {p.items.join(', ')}
                  </td>
                  <td className="num pr-4!">
                    <ForWhoMay command="change-partner">
                      <Button
                        look="link"
                        aria-label={`Change ${p.code}`}
                        onClick={() => start('change-partner', { code: p.code, is_supplier: p.is_supplier, is_customer: p.is_customer })}
                      >
                        Change…
                      </Button>
                    </ForWhoMay>
                  </td>
                </tr>
              ))}
            </List>
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
