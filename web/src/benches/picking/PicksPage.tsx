import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { ApiError, command } from '../../api/http';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { moment } from '../../lib/date';
import { isZero, quantity } from '../../lib/decimal';
import { ReleaseFrame } from '../../orders/ReleaseFrame';
import { Button } from '../../ui/Button';
import { Entry } from '../../ui/Field';
import { Loaded } from '../../ui/States';
import { type Carrier, carriersOptions, pickListsOptions, printerOptions, scanned } from './queries';
import { scanElsewhere } from '../../lib/wedge';

/** All pick lists, those that are open first. */
export function PicksPage() {
  const { start } = useCommands();
  const may = useMay();
  const lists = useQuery(pickListsOptions(0));
  return (
    <ReleaseFrame
      title="Pick lists"
      words="What is taken where and brought to which work center; it stays kept for its orders."
      acts={may.has('make-pick-list') && <Button onClick={() => start('make-pick-list')}>Make a pick list…</Button>}
    >
      <Loaded query={lists}>
        {({ rows, whole }) => (
          <div className="overflow-x-auto">
            <table className="rows" aria-label="Pick lists">
              <thead>
                <tr>
                  <th className="pl-4!">List</th>
                  <th>for</th>
                  <th>made</th>
                  <th className="num">lines</th>
                  <th className="num">taken</th>
                  <th className="num pr-4!">short</th>
                </tr>
              </thead>
              <tbody>
                {rows.map((p) => (
                  <tr key={p.number} className={p.state === 'open' ? '' : 'text-quiet'}>
                    <td className="pl-4! whitespace-nowrap">
                      <Link className="quiet-link" to={`/release/picks/${p.number}`}>
                        <span className="code">{p.number}</span> {p.state}
                      </Link>
                    </td>
                    <td className="w-full">{p.orders}</td>
                    <td className="whitespace-nowrap">
                      {moment(p.made_at)} <span className="text-quiet">{p.person}</span>
                    </td>
                    <td className="num">{p.lines}</td>
                    <td className="num">{p.picked || '–'}</td>
                    <td className={`num pr-4! ${p.short ? 'text-attention' : ''}`}>{p.short || '–'}</td>
                  </tr>
                ))}
                {rows.length === 0 && (
                  <tr>
                    <td colSpan={6} className="pl-4! text-quiet">
                      Nothing is to be picked. Make a list for orders that are released.
                    </td>
                  </tr>
                )}
              </tbody>
            </table>
            {whole > rows.length && <p className="px-4 py-1 text-quiet">the first {rows.length} of {whole.toLocaleString()}</p>}
          </div>
        )}
      </Loaded>
    </ReleaseFrame>
  );
}

/** Pallets, boxes and trolleys: where each stands, and what lies on it. */
export function CarriersPage() {
  const { start } = useCommands();
  const may = useMay();
  const [filter, setFilter] = useState('');
  const carriers = useQuery(carriersOptions(filter, 0));
  return (
    <ReleaseFrame
      title="Carriers"
      words="Scanned once, moved with all that lies on them."
      acts={may.has('define-carrier') && <Button onClick={() => start('define-carrier')}>Define a carrier…</Button>}
    >
      <div className="flex flex-wrap items-start gap-x-4 gap-y-1 px-4 pb-2">
        <Entry aria-label="Filter carriers" placeholder="Filter by code" className="max-w-64" value={filter} onChange={(e) => setFilter(e.target.value)} />
        {may.has('move-carrier') && <ScanMove />}
      </div>
      <Loaded query={carriers}>
        {({ rows, whole }) => (
          <div className="overflow-x-auto">
            <table className="rows" aria-label="Carriers">
              <thead>
                <tr>
                  <th className="pl-4!">Carrier</th>
                  <th>stands at</th>
                  <th>what lies on it</th>
                  <th className="num">quantity</th>
                  <th className="num">kept for orders</th>
                  <td className="pr-4!" />
                </tr>
              </thead>
              {rows.map((c) => (
                <CarrierRows key={c.code} carrier={c} onMove={may.has('move-carrier') ? () => start('move-carrier', { carrier: c.code }) : undefined} onPrint={() => start('print-labels', { labels: [{ kind: 'carrier', code: c.code }] })} />
              ))}
              {rows.length === 0 && (
                <tbody>
                  <tr>
                    <td colSpan={6} className="pl-4! text-quiet">
                      {filter ? 'No carrier has such a code.' : 'There is no carrier yet. Define one, and print its label.'}
                    </td>
                  </tr>
                </tbody>
              )}
            </table>
            {whole > rows.length && <p className="px-4 py-1 text-quiet">the first {rows.length} of {whole.toLocaleString()}; filter to see others</p>}
          </div>
        )}
      </Loaded>
    </ReleaseFrame>
  );
}

/** A carrier is scanned, then where it goes: it is moved with all that lies on it. */
function ScanMove() {
  const client = useQueryClient();
  const [code, setCode] = useState('');
  const [carrier, setCarrier] = useState('');
  const [told, setTold] = useState('');
  async function scan() {
    const text = code.trim();
    setCode('');
    if (text === '') return;
    try {
      const found = await scanned(text);
      if (found.kind === 'carrier') {
        setCarrier(found.code);
        setTold(`${found.name}: scan where it goes.`);
      } else if (found.kind === 'place' && carrier) {
        await command('move-carrier', { carrier, to_place: found.code }, { key: crypto.randomUUID() });
        await client.invalidateQueries({ queryKey: ['stores', 'carriers'] });
        setCarrier('');
        setTold(`${carrier} stands at ${found.name}.`);
      } else setTold('Scan a carrier first.');
    } catch (error) {
      setTold(error instanceof ApiError ? `${error.problem.title} ${error.problem.detail}` : 'That could not be read.');
    }
  }
  return (
    <>
      <Entry
        data-scan
        aria-label="Scan a carrier, then where it goes"
        placeholder="Scan a carrier, then where it goes"
        className="max-w-72"
        value={code}
        onChange={(e) => setCode(e.target.value)}
        onKeyDown={(e) => {
          if (e.key !== 'Enter') return;
          e.preventDefault();
          void scan();
        }}
      />
      <span role="status" className="py-1 text-quiet">
        {told}
      </span>
    </>
  );
}

function CarrierRows({ carrier: c, onMove, onPrint }: { carrier: Carrier; onMove: (() => void) | undefined; onPrint: () => void }) {
  const lines = c.rows.length ? c.rows : [null];
  return (
    <tbody>
      {lines.map((n, at) => (
        <tr key={n ? n.item + n.lot : 'empty'}>
          <td className="pl-4! whitespace-nowrap">
            {at === 0 && (
              <>
                <span className="code font-semibold">{c.code}</span> {c.name !== c.code && c.name}
              </>
            )}
          </td>
          <td className="whitespace-nowrap">{at === 0 && c.stands_at_name}</td>
          <td className="w-full">
            {n ? (
              <>
                {n.name} <span className="code text-quiet">{n.item} {n.lot}</span>
              </>
            ) : (
              <span className="text-quiet">nothing</span>
            )}
          </td>
          <td className="num">
            {n && quantity(n.quantity)}
            <span className="unit">{n?.unit}</span>
          </td>
          <td className="num">{n && (isZero(n.reserved) ? '–' : quantity(n.reserved))}</td>
          <td className="pr-4! whitespace-nowrap">
            {at === 0 && (
              <span className="flex justify-end gap-3">
                {onMove && (
                  <Button look="link" aria-label={`Move ${c.code}`} onClick={onMove}>
                    Move
                  </Button>
                )}
                <Button look="link" aria-label={`Label of ${c.code}`} onClick={onPrint}>
                  Label
                </Button>
              </span>
            )}
          </td>
        </tr>
      ))}
    </tbody>
  );
}

/** What the label printer was sent, as it came out. */
export function PrinterPage() {
  const { start } = useCommands();
  const printed = useQuery(printerOptions(0));
  return (
    <ReleaseFrame
      title="Label printer"
      words="A stand-in for the printer in the stores: what was sent to it, the newest first."
      acts={<Button onClick={() => start('print-labels', { labels: [{ kind: 'lot' }] })}>Print labels…</Button>}
    >
      <Loaded query={printed}>
        {({ rows, whole }) =>
          rows.length === 0 ? (
            <p className="px-4 text-quiet">Nothing was printed yet. Labels are printed from lots, places and carriers.</p>
          ) : (
            <>
              <ul aria-label="Printed labels" className="flex flex-wrap gap-4 px-4 pb-4">
                {rows.map((p) => (
                  <li key={p.number} className="w-[302px] max-w-full">
                    <img className="w-full border border-hair-strong bg-white" alt={`Label of ${p.title}: ${p.content}`} src={`data:image/svg+xml;utf8,${encodeURIComponent(p.svg)}`} />
                    <span className="flex flex-wrap justify-between gap-x-2 text-[12px] text-quiet">
                      <span>
                        {p.copies > 1 && `${p.copies} × `}
                        {moment(p.printed_at)} {p.person}
                      </span>
                      <Button look="link" aria-label={`scan it: ${p.content}`} onClick={() => scanElsewhere(p.content)}>
                        scan it
                      </Button>
                    </span>
                  </li>
                ))}
              </ul>
              {whole > rows.length && <p className="px-4 pb-3 text-quiet">the last {rows.length} of {whole.toLocaleString()}</p>}
            </>
          )
        }
      </Loaded>
    </ReleaseFrame>
  );
}
