import { useQuery, type UseQueryResult } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import type { components } from '../../api/schema';
import { basicsOptions, partnersOptions } from '../../api/queries';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { Button } from '../../ui/Button';
import { ItemCode } from '../../ui/ItemCode';
import { Loaded } from '../../ui/States';

type PlaceRow = components['schemas']['PlaceOut'];

/** Suppliers and customers, with what suppliers have a price for. */
export function PartnersPage() {
  return (
    <Plain
      title="Partners"
      words="Who supplies us, and who buys from us."
      command="define-partner"
      act="Define a partner…"
      empty="No partner yet. Define the first supplier: a code and a name."
      query={useQuery(partnersOptions())}
      rows={(partners) => partners}
      columns={[
        { head: 'Code', look: 'code', cell: (p) => p.code },
        { head: 'Name', look: 'whitespace-nowrap', cell: (p) => p.name },
        {
          head: 'is',
          look: 'whitespace-nowrap text-quiet',
          cell: (p) => [p.is_supplier && 'supplier', p.is_customer && 'customer'].filter(Boolean).join(', '),
        },
        {
          head: 'has a price for',
          look: 'w-full',
          cell: (p) =>
            p.items.map((code) => (
              <span key={code} className="mr-3">
                <ItemCode code={code} />
              </span>
            )),
        },
      ]}
      change={{
        command: 'change-partner',
        words: (p) => `Change ${p.code}…`,
        given: (p) => ({ code: p.code, is_supplier: p.is_supplier, is_customer: p.is_customer, address: p.address }),
      }}
    />
  );
}

/** Where stock lies. */
export function PlacesPage() {
  return (
    <Plain
      title="Places"
      words="Where stock lies: stores, and places on the shop floor."
      command="define-place"
      act="Define a place…"
      empty="No place yet. Define the first one: the store that components are taken from."
      query={useQuery(basicsOptions())}
      rows={(basics) => basics.places}
      columns={[
        { head: 'Code', look: 'code', cell: (p) => p.code },
        { head: 'Name', look: 'w-full', cell: (p) => p.name },
        { head: 'kind', look: 'text-quiet', cell: (p) => p.kind },
        { head: 'site', look: 'whitespace-nowrap', cell: siteOf },
        { head: 'walked to', look: 'num', cell: (p) => p.walk_order },
        {
          head: 'scan code',
          look: 'whitespace-nowrap',
          cell: scanCode,
        },
      ]}
      change={{ command: 'change-place', words: (p) => `Change ${p.code}…`, given: (p) => ({ code: p.code }) }}
      more={{ command: 'define-site', act: 'Define a site…' }}
    />
  );
}

const siteOf = (p: PlaceRow) => <SiteOf site={p.site} />;

/** A site, and the way to change it. */
function SiteOf({ site }: { site: string }) {
  const { start } = useCommands();
  return useMay().has('change-site') ? (
    <Button look="link" aria-label={`Change site ${site}`} onClick={() => start('change-site', { code: site })}>
      {site}
    </Button>
  ) : (
    site
  );
}

const scanCode = (p: PlaceRow) => <ScanCode place={p.code} code={p.scan_code} />;

/** What is scanned at a place, and the way to its label. */
function ScanCode({ place, code }: { place: string; code: string }) {
  const { start } = useCommands();
  return (
    <Button look="link" aria-label={`${code}: print the label of ${place}`} onClick={() => start('print-labels', { labels: [{ kind: 'place', code: place }] })}>
      <span className="code">{code}</span>
    </Button>
  );
}

/** Why things happen; of scrap, whether its cost stays in the order. */
export function ReasonsPage() {
  return (
    <Plain
      title="Reasons"
      words="Why pieces are scrapped, more is issued, an order stands still, a count is put right. Scrap stays in its order and shows as yield, or is written off to expense."
      command="define-reason"
      act="Define a reason…"
      empty="No reason yet. Define the first one that pieces are scrapped for."
      query={useQuery(basicsOptions())}
      rows={(basics) => basics.reasons}
      columns={[
        { head: 'Code', look: 'code', cell: (r) => r.code },
        { head: 'Name', look: 'w-full', cell: (r) => r.name },
        { head: 'given for', look: 'whitespace-nowrap text-quiet', cell: (r) => r.use },
        {
          head: 'its cost',
          look: 'whitespace-nowrap text-quiet',
          cell: (r) => r.use === 'scrap' && (r.is_written_off ? 'is written off' : 'stays in the order'),
        },
      ]}
    />
  );
}

interface Column<R> {
  head: string;
  look: string;
  cell: (row: R) => ReactNode;
}

const others = ['partners', 'places', 'reasons'];

/** A page with one list, and the ways to make another of its kind and to change one. */
function Plain<T, R extends { code: string }>({
  title,
  words,
  command,
  act,
  empty,
  query,
  rows,
  columns,
  change,
  more,
}: {
  title: string;
  words: string;
  command: string;
  act: string;
  empty: string;
  query: UseQueryResult<T>;
  rows: (data: T) => R[];
  columns: Column<R>[];
  more?: { command: string; act: string };
  change?: { command: string; words: (row: R) => string; given: (row: R) => Record<string, unknown> };
}) {
  const { start } = useCommands();
  const may = useMay();
  const last = columns.length - 1 + (change ? 1 : 0);
  const edge = (n: number) => `${n === 0 ? 'pl-4!' : ''} ${n === last ? 'pr-4!' : ''}`;
  return (
    <Loaded query={query}>
      {(data) => (
        <article>
          <header className="flex flex-wrap items-start justify-between gap-3 px-4 pt-3 pb-2">
            <div>
              <h1>{title}</h1>
              <p className="text-quiet">{words}</p>
            </div>
            <span className="flex flex-wrap items-center gap-3 whitespace-nowrap">
              {others
                .filter((o) => o !== title.toLowerCase())
                .map((o) => (
                  <Link key={o} className="quiet-link text-act" to={`/define/${o}`}>
                    {o[0]?.toUpperCase()}
                    {o.slice(1)}
                  </Link>
                ))}
              {more && may.has(more.command) && (
                <Button look="link" onClick={() => start(more.command)}>
                  {more.act}
                </Button>
              )}
              {may.has(command) && <Button onClick={() => start(command)}>{act}</Button>}
            </span>
          </header>
          <table className="rows" aria-label={title}>
            <thead>
              <tr>
                {columns.map((c, n) => (
                  <th key={c.head} className={edge(n)}>
                    {c.head}
                  </th>
                ))}
                {change && <td />}
              </tr>
            </thead>
            <tbody>
              {rows(data).map((row) => (
                <tr key={row.code}>
                  {columns.map((c, n) => (
                    <td key={c.head} className={`${c.look} ${edge(n)}`}>
                      {c.cell(row)}
                    </td>
                  ))}
                  {change && (
                    <td className={`num ${edge(last)}`}>
                      {may.has(change.command) && (
                        <Button look="link" onClick={() => start(change.command, change.given(row))}>
                          {change.words(row)}
                        </Button>
                      )}
                    </td>
                  )}
                </tr>
              ))}
              {rows(data).length === 0 && (
                <tr>
                  <td colSpan={last + 1} className="pl-4! text-quiet">
                    {empty}
                  </td>
                </tr>
              )}
            </tbody>
          </table>
        </article>
      )}
    </Loaded>
  );
}
