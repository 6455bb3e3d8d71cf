import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { basicsOptions, commandsOptions, partnersOptions, peopleOptions } from '../../api/queries';
import { useCommands } from '../../commands/CommandContext';
import { Button } from '../../ui/Button';
import { ItemCode } from '../../ui/ItemCode';
import { Loaded } from '../../ui/States';

/** Suppliers and customers, with what suppliers have a price for. */
export function PartnersPage() {
  const partners = useQuery(partnersOptions());
  const { start } = useCommands();
  return (
    <Loaded query={partners}>
      {(rows) => (
        <Plain
          title="Partners"
          words="Who supplies us, and who buys from us."
          command="define-partner"
          act="Define a partner…"
          heads={['Code', 'Name', 'is', 'has a price for', '']}
          empty="No partner yet. Define the first supplier: a code and a name."
        >
          {rows.map((p) => (
            <tr key={p.code}>
              <td className="code pl-4!">{p.code}</td>
              <td className="whitespace-nowrap">{p.name}</td>
              <td className="whitespace-nowrap text-quiet">
                {[p.is_supplier && 'supplier', p.is_customer && 'customer'].filter(Boolean).join(', ')}
              </td>
              <td className="w-full">
                {p.items.map((code) => (
                  <span key={code} className="mr-3">
                    <ItemCode code={code} />
                  </span>
                ))}
              </td>
              <td className="num pr-4!">
                <ForWhoMay command="change-partner">
                  <Button
                    look="link"
                    onClick={() => start('change-partner', { code: p.code, is_supplier: p.is_supplier, is_customer: p.is_customer })}
                  >
                    Change {p.code}…
                  </Button>
                </ForWhoMay>
              </td>
            </tr>
          ))}
        </Plain>
      )}
    </Loaded>
  );
}

/** Where stock lies. */
export function PlacesPage() {
  const basics = useQuery(basicsOptions());
  return (
    <Loaded query={basics}>
      {(b) => (
        <Plain
          title="Places"
          words="Where stock lies: stores, and places on the shop floor."
          command="define-place"
          act="Define a place…"
          heads={['Code', 'Name', 'kind']}
          empty="No place yet. Define the first one: the store that components are taken from."
        >
          {b.places.map((p) => (
            <tr key={p.code}>
              <td className="code pl-4!">{p.code}</td>
              <td className="w-full">{p.name}</td>
              <td className="pr-4! text-quiet">{p.kind}</td>
            </tr>
          ))}
        </Plain>
      )}
    </Loaded>
  );
}

/** Why things happen; of scrap, whether its cost stays in the order. */
export function ReasonsPage() {
  const basics = useQuery(basicsOptions());
  return (
    <Loaded query={basics}>
      {(b) => (
        <Plain
          title="Reasons"
          words="Why pieces are scrapped, more is issued, an order stands still, a count is put right. Scrap stays in its order and shows as yield, or is written off to expense."
          command="define-reason"
          act="Define a reason…"
          heads={['Code', 'Name', 'given for', 'its cost']}
          empty="No reason yet. Define the first one that pieces are scrapped for."
        >
          {b.reasons.map((r) => (
            <tr key={r.code}>
              <td className="code pl-4!">{r.code}</td>
              <td className="w-full">{r.name}</td>
              <td className="whitespace-nowrap text-quiet">{r.use}</td>
              <td className="pr-4! whitespace-nowrap text-quiet">
                {r.use === 'scrap' && (r.is_written_off ? 'is written off' : 'stays in the order')}
              </td>
            </tr>
          ))}
        </Plain>
      )}
    </Loaded>
  );
}

/** Who may do what. */
export function PersonsPage() {
  const people = useQuery(peopleOptions());
  const { start } = useCommands();
  return (
    <Loaded query={people}>
      {(rows) => (
        <Plain
          title="Persons"
          words="Who may do what."
          command="add-person"
          act="Add a person…"
          heads={['Name', 'signs in as', 'roles', '']}
          empty="Nobody yet."
        >
          {rows.map((p) => (
            <tr key={p.name}>
              <td className="pl-4! whitespace-nowrap">{p.full_name}</td>
              <td className="code">{p.name}</td>
              <td className="w-full text-quiet">{p.roles.join(', ')}</td>
              <td className="num pr-4!">
                <ForWhoMay command="set-roles">
                  <Button look="link" onClick={() => start('set-roles', { name: p.name, roles: p.roles })}>
                    Roles of {p.name}…
                  </Button>
                </ForWhoMay>
              </td>
            </tr>
          ))}
        </Plain>
      )}
    </Loaded>
  );
}

function ForWhoMay({ command, children }: { command: string; children: ReactNode }) {
  const may = useQuery(commandsOptions()).data?.some((c) => c.name === command);
  return may ? <>{children}</> : null;
}

const others = ['partners', 'places', 'reasons', 'persons'];

/** A page with one list, and the way to make another of its kind. */
function Plain({
  title,
  words,
  command,
  act,
  heads,
  empty,
  children,
}: {
  title: string;
  words: string;
  command: string;
  act: string;
  heads: string[];
  empty: string;
  children: ReactNode[];
}) {
  const { start } = useCommands();
  return (
    <article>
      <header className="flex items-start justify-between gap-3 px-4 pt-3 pb-2">
        <div>
          <h1>{title}</h1>
          <p className="text-quiet">{words}</p>
        </div>
        <span className="flex items-center gap-3 whitespace-nowrap">
          {others
            .filter((o) => o !== title.toLowerCase())
            .map((o) => (
              <Link key={o} className="quiet-link text-act" to={`/define/${o}`}>
                {o[0]?.toUpperCase()}
                {o.slice(1)}
              </Link>
            ))}
          <ForWhoMay command={command}>
            <Button onClick={() => start(command)}>{act}</Button>
          </ForWhoMay>
        </span>
      </header>
      <table className="rows" aria-label={title}>
        <thead>
          <tr>{heads.map((h, n) => (h ? <th key={h} className={n === 0 ? 'pl-4!' : ''}>{h}</th> : <td key="acts" />))}</tr>
        </thead>
        <tbody>
          {children}
          {children.length === 0 && (
            <tr>
              <td colSpan={heads.length} className="pl-4! text-quiet">
                {empty}
              </td>
            </tr>
          )}
        </tbody>
      </table>
    </article>
  );
}
